import { userKinds } from '../phone/users/users.ts';
import { isPartKind, type AppCopy, type CopiedApp, type CopyPart } from './copies.ts';
import type { NamedPhone } from '../phone/facts.ts';

export const copyDescriptionName = 'APP.json';
export const copyDescriptionFormat = 'keen-larder-app';

/** What stands beside the files of an exported copy, for programs. */
export interface CopyDescription {
  readonly format: typeof copyDescriptionFormat;
  readonly version: 1;
  /** ISO 8601, UTC. */
  readonly copiedAt: string;
  /** That it came from. */
  readonly phone: NamedPhone;
  readonly app: CopiedApp;
  readonly files: readonly CopyPart[];
}

export const describeCopy = (
  { createdAt, app, parts }: Omit<AppCopy, 'id' | 'serial'>,
  phone: NamedPhone,
): CopyDescription => ({
  format: copyDescriptionFormat,
  version: 1,
  copiedAt: new Date(createdAt).toISOString(),
  phone,
  app,
  files: parts.map(({ name, kind, bytes, sha256 }) => ({ name, kind, bytes, sha256 })),
});

/** A text that says it is a description and cannot be used as one. */
export class BadDescription extends Error {}

type Shape = Readonly<Record<string, (value: unknown) => boolean>>;

const mostText = 300;
const isText = (value: unknown) => typeof value === 'string' && value.length <= mostText;
const isWhole = (value: unknown) => Number.isSafeInteger(value) && Number(value) >= 0;
const isFlag = (value: unknown) => typeof value === 'boolean';
const isDigest = (value: unknown) => typeof value === 'string' && /^[0-9a-f]{64}$/.test(value);
const maybe = (is: (value: unknown) => boolean) => (value: unknown) => value === undefined || is(value);
const listOf = (is: (value: unknown) => boolean) => (value: unknown) =>
  Array.isArray(value) && value.length <= 5000 && value.every(is);
const shaped = (shape: Shape) => (value: unknown) =>
  typeof value === 'object' &&
  value !== null &&
  Object.entries(shape).every(([key, is]) => is((value as Record<string, unknown>)[key]));

const isOpName = (value: string) => /^[A-Z0-9_]{1,60}$/.test(value);
const isOpMode = (value: unknown) => typeof value === 'string' && /^[a-z]{1,20}$/.test(value);
const isComponent = (value: unknown) =>
  typeof value === 'string' && /^[A-Za-z0-9_.]{1,255}\/[A-Za-z0-9_.$]{1,255}$/.test(value);
const isName = (value: unknown) => isText(value) && value !== '';
const homeShape: Shape = {
  ops: maybe(
    (value) =>
      typeof value === 'object' &&
      value !== null &&
      Object.entries(value).length <= 200 &&
      Object.entries(value).every(([name, mode]) => isOpName(name) && isOpMode(mode)),
  ),
  androidId: maybe((value) => typeof value === 'string' && /^(?:[0-9a-f]{16})?$/.test(value)),
  roles: maybe(listOf((value) => typeof value === 'string' && /^[A-Z_]{1,60}$/.test(value))),
  listeners: maybe(listOf(isComponent)),
  accessibility: maybe(listOf(isComponent)),
  isExempt: maybe(isFlag),
  updateOwner: maybe(isName),
  languages: maybe((value) => typeof value === 'string' && /^[A-Za-z0-9,-]{0,200}$/.test(value)),
  widgets: maybe(isWhole),
};

const isOtherUserKind = (value: unknown) =>
  value !== 'owner' && (userKinds as readonly unknown[]).includes(value);

const appShape: Shape = {
  package: (value) => typeof value === 'string' && /^[A-Za-z0-9_.]{1,255}$/.test(value),
  label: isText,
  versionCode: isWhole,
  versionName: maybe(isText),
  uid: isWhole,
  minSdk: maybe(isWhole),
  targetSdk: maybe(isWhole),
  abis: listOf(isText),
  certificates: listOf(isDigest),
  isBuiltIn: isFlag,
  isEnabled: isFlag,
  sharedUserId: maybe(isText),
  isLeftover: maybe(isFlag),
  user: maybe(shaped({ name: isText, kind: isOtherUserKind })),
  installer: maybe(isText),
  permissions: listOf(shaped({ name: isText, granted: isFlag })),
  hasHardwareKeys: isFlag,
  home: maybe(shaped(homeShape)),
  isAsGiven: maybe(isFlag),
  sdk: maybe(isWhole),
  stamp: maybe(shaped({ full: isText, sizes: isText })),
};
const shapes: Shape = {
  version: (value) => value === 1,
  copiedAt: (value) => typeof value === 'string' && Number.isFinite(Date.parse(value)),
  phone: shaped({ serial: isText, maker: isText, model: isText, nickname: isText }),
  app: shaped(appShape),
  files: listOf(
    shaped({
      name: (value) => typeof value === 'string' && /^[\w.+-]{1,200}\.(?:apk|tar)$/.test(value),
      kind: isPartKind,
      bytes: isWhole,
      sha256: isDigest,
    }),
  ),
};

/**
 * Reads a description that came along with files.
 * @returns undefined for another JSON
 * @throws BadDescription naming what is wrong with it
 */
export function parseDescription(text: string): CopyDescription | undefined {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new BadDescription('it is not JSON');
  }
  const found = value as Readonly<Record<string, unknown>> | null;
  if (found?.['format'] !== copyDescriptionFormat) return undefined;
  const wrong = Object.entries(shapes).find(([key, is]) => !is(found[key]))?.[0];
  if (wrong === 'app') {
    const app = found['app'] as Readonly<Record<string, unknown>> | undefined;
    const field = app && Object.entries(appShape).find(([key, is]) => !is(app[key]))?.[0];
    throw new BadDescription(`its ${field ? `app.${field}` : 'app'} is not what it should be`);
  }
  if (wrong) throw new BadDescription(`its ${wrong} is not what it should be`);
  return value as CopyDescription;
}
