import { FormatError } from '../../bytes/format-error.ts';
import { elementsNamed, type XmlAttribute, type XmlElement } from './binary-xml.ts';
import { valueTypes } from './layouts.ts';

/** Attributes by the platform's numbers (AOSP frameworks/base, core/res/res/values/public.xml). */
export const attributeIds = {
  label: 0x01010001,
  icon: 0x01010002,
  name: 0x01010003,
  permission: 0x01010006,
  sharedUserId: 0x0101000b,
  debuggable: 0x0101000f,
  minSdkVersion: 0x0101020c,
  versionCode: 0x0101021b,
  versionName: 0x0101021c,
  targetSdkVersion: 0x01010270,
  testOnly: 0x01010272,
  allowBackup: 0x01010280,
  versionCodeMajor: 0x01010576,
} as const;
export type AttributeName = keyof typeof attributeIds;

/** Something that the system reaches from outside: what it is for. */
export const appDuties = ['home', 'keyboard', 'dialer', 'messages', 'launcher'] as const;
export type AppDuty = (typeof appDuties)[number];

/** How a manifest declares each: by a permission that callers need, by a category, or else by an action. */
export const dutyDeclarations: Readonly<
  Record<
    AppDuty,
    {
      readonly kind: 'activity' | 'service' | 'receiver';
      readonly permission?: string;
      readonly action: string;
      readonly category?: string;
    }
  >
> = {
  home: { kind: 'activity', action: 'android.intent.action.MAIN', category: 'android.intent.category.HOME' },
  launcher: {
    kind: 'activity',
    action: 'android.intent.action.MAIN',
    category: 'android.intent.category.LAUNCHER',
  },
  keyboard: {
    kind: 'service',
    permission: 'android.permission.BIND_INPUT_METHOD',
    action: 'android.view.InputMethod',
  },
  dialer: { kind: 'activity', action: 'android.intent.action.DIAL' },
  messages: { kind: 'receiver', action: 'android.provider.Telephony.SMS_DELIVER' },
};
const dutyBy = (key: 'permission' | 'category' | 'action'): ReadonlyMap<string, AppDuty> =>
  new Map(
    Object.entries(dutyDeclarations).flatMap(([duty, declared]): [string, AppDuty][] => {
      const marks = declared.permission ? 'permission' : declared.category ? 'category' : 'action';
      const value = declared[key];
      return marks === key && value ? [[value, duty as AppDuty]] : [];
    }),
  );
const [dutyOfPermission, dutyOfCategory, dutyOfAction] = [
  dutyBy('permission'),
  dutyBy('category'),
  dutyBy('action'),
];

/** Text as it stands, or the number of a resource that has it. */
export type TextOrResource = { readonly text: string } | { readonly resource: number };
/** A number as it stands, or the number of a resource that has it. */
export type NumberOrResource = number | { readonly resource: number };

export interface ApkManifest {
  readonly package: string;
  /** Name of a split; left out of the base. */
  readonly split?: string;
  readonly versionCode: NumberOrResource;
  /** What belongs in the upper 32 bits of the version. */
  readonly versionCodeMajor: NumberOrResource;
  readonly versionName?: TextOrResource;
  readonly minSdk: number;
  readonly targetSdk: number;
  readonly sharedUserId?: string;
  readonly label?: TextOrResource;
  readonly icon?: TextOrResource;
  readonly debuggable: boolean;
  /** Its data may go into backups of the platform's own. */
  readonly allowsBackup: boolean;
  /** Permissions that it asks for, sorted. */
  readonly permissions: readonly string[];
  readonly duties: readonly AppDuty[];
}

/** Reads what the root element of an `AndroidManifest.xml` says. @throws FormatError */
export function manifestOf(root: XmlElement): ApkManifest {
  if (root.name !== 'manifest') throw bad('element', `<${root.name}> instead of <manifest>`);
  const name = plain(root, 'package');
  if (!name || !/^[A-Za-z0-9_.]+$/.test(name)) throw bad('package', `“${name ?? ''}” is not a package name`);
  const uses = root.children.find((each) => each.name === 'uses-sdk');
  const application = root.children.find((each) => each.name === 'application');
  const minSdk = uses ? (number(uses, 'minSdkVersion') ?? 1) : 1;
  const split = plain(root, 'split');
  const versionName = textOrResource(root, 'versionName');
  const sharedUserId = text(root, 'sharedUserId');
  const label = application && textOrResource(application, 'label');
  const icon = application && textOrResource(application, 'icon');
  return {
    package: name,
    ...(split && { split }),
    versionCode: numberOrResource(root, 'versionCode'),
    versionCodeMajor: numberOrResource(root, 'versionCodeMajor'),
    ...(versionName !== undefined && { versionName }),
    minSdk,
    targetSdk: (uses && number(uses, 'targetSdkVersion')) ?? minSdk,
    ...(sharedUserId && { sharedUserId }),
    ...(label && { label }),
    ...(icon && { icon }),
    debuggable: (application && flag(application, 'debuggable')) ?? false,
    allowsBackup: (application && flag(application, 'allowBackup')) ?? true,
    permissions: namesOf(root, 'uses-permission', 'uses-permission-sdk-23').sort(),
    duties: application ? dutiesOf(application) : [],
  };
}

const bad = (field: string, reason: string) => new FormatError('apk', field, 0, reason);

function dutiesOf(application: XmlElement): AppDuty[] {
  const found = new Set<AppDuty>();
  const add = (duty: AppDuty | undefined) => duty && found.add(duty);
  for (const component of elementsNamed(application, 'activity', 'activity-alias', 'service', 'receiver')) {
    add(dutyOfPermission.get(text(component, 'permission') ?? ''));
    for (const each of namesOf(component, 'category')) add(dutyOfCategory.get(each));
    for (const each of namesOf(component, 'action')) add(dutyOfAction.get(each));
  }
  return appDuties.filter((duty) => found.has(duty));
}

const namesOf = (root: XmlElement, ...elements: string[]): string[] => [
  ...new Set([...elementsNamed(root, ...elements)].flatMap((each) => text(each, 'name') ?? [])),
];

/** By number where there is one, since names may be obfuscated; otherwise by name. */
const attribute = ({ attributes }: XmlElement, name: AttributeName): XmlAttribute | undefined =>
  attributes.find(({ resourceId }) => resourceId === attributeIds[name]) ??
  attributes.find((each) => each.resourceId === undefined && each.name === name);

const plain = ({ attributes }: XmlElement, name: string): string | undefined =>
  attributes.find((each) => each.name === name)?.text;

const text = (element: XmlElement, name: AttributeName): string | undefined => attribute(element, name)?.text;

function number(element: XmlElement, name: AttributeName): number | undefined {
  const found = attribute(element, name);
  if (found?.type === valueTypes.decimal || found?.type === valueTypes.hexadecimal) return found.data;
  // A preview of an Android has its letter here, and runs on nothing else.
  return found?.text !== undefined ? Number.parseInt(found.text, 10) || undefined : undefined;
}

function numberOrResource(element: XmlElement, name: AttributeName): NumberOrResource {
  const found = attribute(element, name);
  return found?.type === valueTypes.reference ? { resource: found.data } : (number(element, name) ?? 0);
}

function flag(element: XmlElement, name: AttributeName): boolean | undefined {
  const found = attribute(element, name);
  return found?.type === valueTypes.boolean ? found.data !== 0 : undefined;
}

function textOrResource(element: XmlElement, name: AttributeName): TextOrResource | undefined {
  const found = attribute(element, name);
  if (!found) return undefined;
  if (found.type === valueTypes.reference) return { resource: found.data };
  return found.text === undefined ? undefined : { text: found.text };
}
