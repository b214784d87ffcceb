import type { ByteRange } from '../bytes/ranges.ts';
import { arePackageFacts } from '../formats/package-metadata/package-metadata.ts';
import type { Condition, NamedPhone } from '../phone/facts.ts';
import { phoneModes, type PhoneMode } from '../phone/modes.ts';
import { proofWays, type ProofWay } from '../phone/proof-ways.ts';
import type { Role } from '../phone/roles.ts';

export const contentsFileName = 'CONTENTS.json';
export const contentsFormat = 'keen-larder-contents';

/** What stands beside exported images for programs: of which phone they are, and what each was. */
export interface Contents {
  readonly format: typeof contentsFormat;
  readonly version: 1;
  readonly label: string;
  readonly note: string;
  readonly phone: NamedPhone;
  readonly mode?: PhoneMode;
  readonly condition: Condition;
  /** ISO 8601, UTC. */
  readonly createdAt: string;
  readonly images: readonly ContentsImage[];
}

export interface ContentsImage {
  readonly partition: string;
  readonly kind?: 'archive';
  readonly role: Role;
  readonly bytes: number;
  /** Over the image, or over `ranges` of it where there are some. */
  readonly sha256: string;
  readonly ranges?: readonly ByteRange[];
  readonly unsettled?: readonly ByteRange[];
  readonly proof?: ProofWay;
  /** Names of the files that hold it. */
  readonly files: readonly string[];
}

const isText = (value: unknown, most = 200): value is string =>
  typeof value === 'string' && value.length > 0 && value.length <= most;
const isPlain = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);
const isDigest = (value: unknown, letters: number) =>
  typeof value === 'string' && value.length === letters && /^[0-9a-f]+$/.test(value);

const areRanges = (value: unknown, bytes: number): boolean => {
  if (value === undefined) return true;
  if (!Array.isArray(value) || value.length === 0) return false;
  let end = 0;
  return value.every((range: unknown) => {
    if (!isPlain(range)) return false;
    const { offset, bytes: length } = range;
    if (!Number.isSafeInteger(offset) || !Number.isSafeInteger(length)) return false;
    const fits =
      (offset as number) >= end && (length as number) > 0 && (offset as number) + (length as number) <= bytes;
    end = (offset as number) + (length as number);
    return fits;
  });
};

const isImage = (value: unknown): boolean =>
  isPlain(value) &&
  isText(value['partition'], 72) &&
  (value['kind'] === undefined || value['kind'] === 'archive') &&
  isText(value['role']) &&
  Number.isSafeInteger(value['bytes']) &&
  (value['bytes'] as number) >= 0 &&
  isDigest(value['sha256'], 64) &&
  areRanges(value['ranges'], value['bytes'] as number) &&
  areRanges(value['unsettled'], value['bytes'] as number) &&
  (value['proof'] === undefined || proofWays.includes(value['proof'] as ProofWay)) &&
  Array.isArray(value['files']) &&
  value['files'].every((name) => isText(name, 400));

const isOfCondition = (name: string, value: unknown): boolean => {
  if (name === 'product') return isPlain(value) && isText(value['maker']) && isText(value['model']);
  if (name === 'package') return arePackageFacts(value);
  return typeof value === 'boolean' || isText(value, 300);
};

/** Reads such a file. @returns undefined when it is none, or not whole */
export function parseContents(text: string): Contents | undefined {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return undefined;
  }
  return isContents(value) ? value : undefined;
}

function isContents(value: unknown): value is Contents {
  if (!isPlain(value) || value['format'] !== contentsFormat || value['version'] !== 1) return false;
  const { phone, condition, mode, images } = value;
  return (
    isText(value['label']) &&
    typeof value['note'] === 'string' &&
    isPlain(phone) &&
    ['serial', 'maker', 'model', 'nickname'].every((key) => isText(phone[key])) &&
    (mode === undefined || phoneModes.includes(mode as PhoneMode)) &&
    isPlain(condition) &&
    ['stock', 'rooted', 'custom', 'unknown'].includes(condition['kind'] as string) &&
    Object.entries(condition).every(([name, each]) => isOfCondition(name, each)) &&
    !Number.isNaN(Date.parse(String(value['createdAt']))) &&
    Array.isArray(images) &&
    images.every(isImage)
  );
}
