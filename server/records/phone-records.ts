import { stagingFolders } from '@keen-larder/core/apps/copies.ts';
import { recordKind, recordKinds, sideFiles, type RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { PhoneRefusal } from '../failures.ts';
import type { DescribedFile, FileAccess } from '../links/phone-link.ts';
import type { ReadRecords } from '../untrusted/records-reader.ts';
import { readUntrustedRecords } from '../untrusted/untrusted.ts';

export const userDataRoot = '/data';

/** Records of one kind, as their files lie on a phone. */
export interface FoundRecords {
  readonly kind: RecordKindId;
  /** Paths from user data's own root on. */
  readonly files: readonly DescribedFile[];
  readonly bytes: number;
}

/** Of an exchange that is under way or broke off. */
const isStaged = (path: string) =>
  path.split('/').some((name) => Object.values<string>(stagingFolders).includes(name));

/** Which records a phone has, by their files. */
export async function findRecords(
  files: FileAccess,
  kinds: readonly RecordKindId[] = recordKinds.map(({ id }) => id),
  signal?: AbortSignal,
): Promise<FoundRecords[]> {
  const wanted = kinds.flatMap((id) => recordKind(id).files.flatMap((path) => [path, ...sideFiles(path)]));
  const there = (
    await files.describe(
      wanted.map((path) => `${userDataRoot}${path}`),
      signal,
    )
  ).map((file) => ({
    ...file,
    path: file.path.slice(userDataRoot.length),
  }));
  return kinds.map((kind) => {
    const places = recordKind(kind).files.flatMap((path) => [path, ...sideFiles(path)]);
    const own = there.filter(
      ({ path }) => !isStaged(path) && places.some((place) => path === place || path.startsWith(`${place}/`)),
    );
    return { kind, files: own, bytes: own.reduce((sum, { bytes }) => sum + bytes, 0) };
  });
}

/** More is kept, and not read into. */
export const mostBytesRead = 64 << 20;

/** The bytes of records' files and what they say. */
export async function fetchRecords(
  access: FileAccess,
  { kind, files, bytes }: FoundRecords,
  now: number,
  signal?: AbortSignal,
): Promise<{ readonly contents: ReadonlyMap<string, Buffer>; readonly read: ReadRecords }> {
  const contents = new Map<string, Buffer>();
  if (bytes > mostBytesRead) {
    return {
      contents,
      read: { count: undefined, readable: undefined, fault: 'They are too large to be read into.' },
    };
  }
  for (const { path } of files) contents.set(path, await bytesAt(access, path, signal));
  return { contents, read: await readUntrustedRecords(kind, contents, now) };
}

/** @param path from user data's own root on */
export async function bytesAt(access: FileAccess, path: string, signal?: AbortSignal): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  let left = mostBytesRead;
  for await (const part of access.content(`${userDataRoot}${path}`, signal)) {
    if ((left -= part.length) < 0)
      throw new PhoneRefusal(`${path} does not end: more than ${sizeText(mostBytesRead)} came of it.`);
    parts.push(Uint8Array.from(part));
  }
  return Buffer.concat(parts);
}
