import { posix } from 'node:path';
import { Readable } from 'node:stream';
import { recordKind, type RecordFile, type RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { PhoneRefusal, traitsOf } from '../../failures.ts';
import type { FileOwner, PhoneLink } from '../../links/phone-link.ts';
import { tarEnd, tarHeader, tarPadding } from '../../formats/tar-header.ts';
import { findRecords, userDataRoot } from '../../records/phone-records.ts';

import { someOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { filesOf, foldersOf } from '../phone/phone-access.ts';

/** A file of records as it is to be. */
export interface WantedFile {
  /** From user data's own root on. */
  readonly path: string;
  readonly bytes: Buffer;
  /** Lower-case hexadecimal. */
  readonly sha256: string;
}

/** Folders that files of a kind may lie in, from user data's own root on; a place may be a file or a folder. */
const placesOf = (kind: RecordKindId): string[] => [
  ...new Set(recordKind(kind).files.flatMap((path) => [posix.dirname(path), path])),
];

/** Puts back what was there before an exchange of records that broke off; resolves to whether one had. */
export async function undoExchange(link: PhoneLink, kind: RecordKindId): Promise<boolean> {
  const folders = foldersOf(link);
  let hadBegun = false;
  for (const place of placesOf(kind))
    hadBegun = (await folders.rollBack(`${userDataRoot}${place}`)) || hadBegun;
  return hadBegun;
}

/**
 * Puts files of records in the place of those that are there: staged beside them, proved, exchanged. What was there
 * stays until then, and is put back when anything fails.
 * @param kept owners and labels as they were where the files came from
 * @throws PhoneRefusal when they do not come out on the phone as kept, and all is as it was before
 */
export async function exchangeRecords(
  link: PhoneLink,
  kind: RecordKindId,
  wanted: readonly WantedFile[],
  kept: readonly RecordFile[],
  signal?: AbortSignal,
): Promise<void> {
  const folders = foldersOf(link);
  await undoExchange(link, kind);
  const [there] = await findRecords(filesOf(link), [kind], signal);
  const present = there!.files;
  // Owners of what is there hold on this phone; a provider may have another uid than where the copy came from.
  const owners = new Map<string, FileOwner>([...kept, ...present].map((file) => [file.path, ownerOf(file)]));
  const going = byFolder(present.map(({ path }) => path));
  const coming = byFolder(wanted.map(({ path }) => path));
  const touched = [...new Set([...going.keys(), ...coming.keys()])];
  try {
    await stage(link, wanted, owners, signal);
    for (const folder of touched)
      await folders.swap(`${userDataRoot}${folder}`, {
        going: going.get(folder) ?? [],
        coming: coming.get(folder) ?? [],
      });
    for (const folder of touched) await folders.settle(`${userDataRoot}${folder}`);
  } catch (error) {
    if (traitsOf(error).isOfOnePart) await undoExchange(link, kind);
    throw error;
  }
}

/** Unpacks files beside those that are there, with their owners and labels, and proves them. */
async function stage(
  link: PhoneLink,
  wanted: readonly WantedFile[],
  owners: ReadonlyMap<string, FileOwner>,
  signal: AbortSignal | undefined,
): Promise<void> {
  const files = filesOf(link);
  const staged = (path: string) => `${foldersOf(link).nextOf(posix.dirname(path))}/${posix.basename(path)}`;
  const needed = new Map<string, FileOwner>();
  for (const { path } of wanted) {
    for (let folder = posix.dirname(staged(path)); folder !== '/'; folder = posix.dirname(folder))
      needed.set(folder, { ...owners.get(path)!, mode: 0o771 });
  }
  const have = await files.owners(
    userDataRoot,
    [...needed.keys()].map((path) => path.slice(1)),
    signal,
  );
  const missing = [...needed]
    .filter(([path]) => !have.has(path.slice(1)))
    .sort(([a], [b]) => (a < b ? -1 : 1));
  const modifiedAt = Math.floor(Date.now() / 1000);
  const parts = [
    ...missing.map(([path, owner]) =>
      tarHeader({ name: `.${path}/`, type: 'directory', ...owner, modifiedAt, bytes: 0 }),
    ),
    ...wanted.flatMap(({ path, bytes }) => [
      tarHeader({
        name: `.${staged(path)}`,
        type: 'file',
        ...owners.get(path)!,
        modifiedAt,
        bytes: bytes.length,
      }),
      bytes,
      tarPadding(bytes.length),
    ]),
    tarEnd(),
  ];
  await files.unpack(userDataRoot, Readable.from(parts), signal);
  await files.settle(
    userDataRoot,
    new Map([
      ...missing.map(([path, owner]) => [path.slice(1), { ...owner, isLink: false }] as const),
      ...wanted.map(({ path }) => [staged(path).slice(1), { ...owners.get(path)!, isLink: false }] as const),
    ]),
    signal,
  );
  const total = wanted.reduce((sum, { bytes }) => sum + bytes.length, 0);
  const digests = await files.digests(
    userDataRoot,
    wanted.map(({ path }) => staged(path).slice(1)),
    total,
    signal,
  );
  const wrong = wanted.filter(({ path, sha256 }) => digests.get(staged(path).slice(1)) !== sha256);
  if (wrong.length > 0)
    throw new PhoneRefusal(`${someOf(wrong.map(({ path }) => path))} did not come out on the phone as kept.`);
}

const ownerOf = ({ uid, gid, mode, label }: RecordFile | FileOwner): FileOwner => ({ uid, gid, mode, label });

/** Names by the folders that they lie in. */
function byFolder(paths: readonly string[]): Map<string, string[]> {
  const found = new Map<string, string[]>();
  for (const path of paths) {
    const folder = posix.dirname(path);
    found.set(folder, [...(found.get(folder) ?? []), posix.basename(path)]);
  }
  return found;
}
