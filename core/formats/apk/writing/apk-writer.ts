import { joinBytes } from '../../../bytes/join.ts';
import { raw, u16, u32, u8, layout, written } from '../../../bytes/layout.ts';
import { attributeIds, dutyDeclarations, type AppDuty, type AttributeName } from '../manifest.ts';
import {
  attributeHeader,
  chunkTypes,
  configHead,
  elementHeader,
  entryHeader,
  none,
  packageHeader,
  resourceValue,
  typeHeader,
  valueTypes,
} from '../layouts.ts';
import { signedApk, type ApkSigner } from './write-signing.ts';
import { chunk, stringPool, words } from './write-chunks.ts';
import { zipOf, type ZipFile } from './write-zip.ts';

export type { ApkSigner } from './write-signing.ts';

/** What an APK is to say of itself, and what it holds. */
export interface ApkPlan {
  readonly package: string;
  readonly versionCode: number;
  readonly versionName: string;
  readonly minSdk: number;
  readonly targetSdk: number;
  readonly sharedUserId?: string;
  /** It forbids backups of the platform's own. */
  readonly allowsBackup?: false;
  /** Of a split: its name. */
  readonly split?: string;
  readonly label: string;
  /** A PNG. */
  readonly icon?: Uint8Array;
  readonly permissions: readonly string[];
  readonly duties: readonly AppDuty[];
  /** Programs and libraries, by their paths. */
  readonly files: readonly ZipFile[];
}

const androidUri = 'http://schemas.android.com/apk/res/android';
const resourceIds = { label: 0x7f010000, icon: 0x7f020000 } as const;
const iconPath = 'res/mipmap-xhdpi-v4/icon.png';
const iconDensity = 320;
const configBytes = 64;

type Value = string | number | boolean | { readonly reference: number };
/** Of no namespace, hence of no number. */
const plainNames = ['package', 'split'] as const;
type PlainName = (typeof plainNames)[number];
const isPlain = (name: string): name is PlainName => (plainNames as readonly string[]).includes(name);

interface Element {
  readonly name: string;
  readonly attributes: readonly (readonly [name: AttributeName | PlainName, value: Value])[];
  readonly children: readonly Element[];
}

/** An APK that installs, signed by scheme v2. Everything in it is stored as it is. */
export function writeApk(plan: ApkPlan, signer: ApkSigner): Uint8Array {
  const files: ZipFile[] = [
    { name: 'AndroidManifest.xml', bytes: binaryXml(manifestTree(plan)) },
    { name: 'resources.arsc', bytes: resourceTable(plan) },
    ...(plan.icon ? [{ name: iconPath, bytes: plan.icon }] : []),
    ...plan.files,
  ];
  return signedApk(zipOf(files), signer);
}

function manifestTree(plan: ApkPlan): Element {
  const element = (name: string, attributes: Element['attributes'], children: Element[] = []): Element => ({
    name,
    attributes,
    children,
  });
  const components = plan.duties.map((duty, i) => {
    const { kind, permission, action, category } = dutyDeclarations[duty];
    return element(
      kind,
      [['name', `.Part${i}`], ...(permission ? [['permission', permission] as const] : [])],
      [
        element(
          'intent-filter',
          [],
          [
            element('action', [['name', action]]),
            ...(category ? [element('category', [['name', category]])] : []),
          ],
        ),
      ],
    );
  });
  const icon = plan.icon ? [['icon', { reference: resourceIds.icon }] as const] : [];
  const backup = plan.allowsBackup === false ? [['allowBackup', false] as const] : [];
  return element(
    'manifest',
    [
      ['versionCode', plan.versionCode],
      ['versionName', plan.versionName],
      ...(plan.sharedUserId ? [['sharedUserId', plan.sharedUserId] as const] : []),
      ...(plan.split ? [['split', plan.split] as const] : []),
      ['package', plan.package],
    ],
    [
      element('uses-sdk', [
        ['minSdkVersion', plan.minSdk],
        ['targetSdkVersion', plan.targetSdk],
      ]),
      ...plan.permissions.map((name) => element('uses-permission', [['name', name]])),
      element('application', [['label', { reference: resourceIds.label }], ...icon, ...backup], components),
    ],
  );
}

/** Compiled XML: names of attributes come first among its strings, in the order of their numbers. */
function binaryXml(root: Element): Uint8Array {
  const all = [...walk(root)];
  const idOf = (name: AttributeName | PlainName) => (isPlain(name) ? 2 ** 32 : attributeIds[name]);
  const used = [...new Set(all.flatMap(({ attributes }) => attributes.map(([name]) => name)))];
  const mapped = used
    .filter((name): name is AttributeName => !isPlain(name))
    .sort((a, b) => idOf(a) - idOf(b));
  const strings = [...mapped, 'android', androidUri, 'package'] as string[];
  const index = (text: string) => {
    const found = strings.indexOf(text);
    return found >= 0 ? found : strings.push(text) - 1;
  };
  const node = (type: number, body: Uint8Array) => chunk(type, [words(1, none)], [body]);
  const valueOf = (value: Value) => {
    const typed = (type: number, data: number, text = none) => ({ type, data, text });
    if (typeof value === 'string') return typed(valueTypes.string, index(value), index(value));
    if (typeof value === 'boolean') return typed(valueTypes.boolean, value ? none : 0);
    return typeof value === 'number'
      ? typed(valueTypes.decimal, value)
      : typed(valueTypes.reference, value.reference);
  };
  const nodes = (element: Element): Uint8Array[] => {
    const attributes = [...element.attributes].sort(([a], [b]) => idOf(a) - idOf(b));
    const head = {
      namespace: none,
      name: index(element.name),
      attributesStart: elementHeader.bytes,
      attributeBytes: attributeHeader.bytes + resourceValue.bytes,
      attributes: attributes.length,
      idIndex: 0,
      classIndex: 0,
      styleIndex: 0,
    };
    const body = attributes.flatMap(([name, value]) => {
      const { type, data, text } = valueOf(value);
      const namespace = isPlain(name) ? none : index(androidUri);
      return [
        written(attributeHeader, { namespace, name: index(name), rawValue: text }),
        written(resourceValue, { bytes: resourceValue.bytes, zero: 0, type, data }),
      ];
    });
    return [
      node(chunkTypes.startElement, joinBytes([written(elementHeader, head), ...body])),
      ...element.children.flatMap(nodes),
      node(chunkTypes.endElement, words(none, index(element.name))),
    ];
  };
  const space = words(index('android'), index(androidUri));
  const body = [node(chunkTypes.startNamespace, space), ...nodes(root), node(chunkTypes.endNamespace, space)];
  const map = chunk(chunkTypes.resourceMap, [], [words(...mapped.map((name) => attributeIds[name]))]);
  return chunk(chunkTypes.xml, [], [stringPool(strings), map, ...body]);
}

function* walk(element: Element): Generator<Element> {
  yield element;
  for (const child of element.children) yield* walk(child);
}

const typeSpec = layout('resources', { id: u8, zero: u8, reserved: u16, entries: u32, flags: u32 });
const typeIdOffset = layout('resources', { typeIdOffset: u32 });
const configTail = layout('resources', { rest: raw(configBytes - configHead.bytes) });

/** The label as a string and the icon as a picture of one density. */
function resourceTable({ package: name, label, icon }: ApkPlan): Uint8Array {
  const values = [label, ...(icon ? [iconPath] : [])];
  const types = ['string', ...(icon ? ['mipmap'] : [])];
  const keys = ['app_name', ...(icon ? ['icon'] : [])];
  const type = (index: number, density: number) => {
    const head = {
      bytes: configBytes,
      mobileCountry: 0,
      mobileNetwork: 0,
      language: new Uint8Array(2),
      country: new Uint8Array(2),
      orientation: 0,
      touchscreen: 0,
      density,
    };
    const config = [
      written(configHead, head),
      written(configTail, { rest: new Uint8Array(configBytes - configHead.bytes) }),
    ];
    const entriesStart = 8 + typeHeader.bytes + configBytes + 4;
    const header = { id: index + 1, flags: 0, reserved: 0, entries: 1, entriesStart };
    return [
      chunk(
        chunkTypes.typeSpec,
        [written(typeSpec, { id: index + 1, zero: 0, reserved: 0, entries: 1, flags: 0 }).subarray(0, 8)],
        [words(0)],
      ),
      chunk(
        chunkTypes.type,
        [written(typeHeader, header), ...config],
        [
          words(0),
          written(entryHeader, { bytes: entryHeader.bytes, flags: 0, key: index }),
          written(resourceValue, {
            bytes: resourceValue.bytes,
            zero: 0,
            type: valueTypes.string,
            data: index,
          }),
        ],
      ),
    ];
  };
  const typeStrings = stringPool(types);
  const headerBytes = 8 + packageHeader.bytes + typeIdOffset.bytes;
  const nameUnits = new Uint16Array(128);
  for (let i = 0; i < Math.min(name.length, 127); i++) nameUnits[i] = name.charCodeAt(i);
  const head = {
    id: 0x7f,
    name: new Uint8Array(nameUnits.buffer),
    typeStrings: headerBytes,
    lastPublicType: types.length,
    keyStrings: headerBytes + typeStrings.length,
    lastPublicKey: keys.length,
  };
  const body = [typeStrings, stringPool(keys), ...type(0, 0), ...(icon ? type(1, iconDensity) : [])];
  const packaged = chunk(
    chunkTypes.package,
    [written(packageHeader, head), written(typeIdOffset, { typeIdOffset: 0 })],
    body,
  );
  return chunk(chunkTypes.table, [words(1)], [stringPool(values), packaged]);
}
