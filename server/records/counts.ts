import { recordKind, sideFiles, type RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { sourceBytes } from '../formats/file-source.ts';
import type { UserData } from '../larder/inside/user-data.ts';
import type { FileAccess } from '../links/phone-link.ts';
import { fetchRecords, findRecords, mostBytesRead } from './phone-records.ts';
import { readUntrustedRecords } from '../untrusted/untrusted.ts';

/** Kinds whose number says whether they came back; the others are pictures, places and counters. */
const counted: readonly RecordKindId[] = [
  'wifi',
  'bluetooth',
  'accounts',
  'contacts',
  'messages',
  'calls',
  'calendar',
  'words',
];

/** How many records of each kind a phone has, by their titles; undefined of a kind that cannot be read. */
export async function countsOnPhone(files: FileAccess): Promise<Map<string, number | undefined>> {
  const counts = new Map<string, number | undefined>();
  for (const found of await findRecords(files, counted)) {
    const { read } = await fetchRecords(files, found, 0);
    if (found.files.length > 0) counts.set(recordKind(found.kind).title, read.count);
  }
  return counts;
}

/** How many records of each kind kept user data has, by their titles; undefined of a kind that cannot be read. */
export async function countsKept(data: UserData): Promise<Map<string, number | undefined>> {
  const counts = new Map<string, number | undefined>();
  for (const kind of counted) {
    const files = new Map<string, Uint8Array>();
    let isTooLarge = false;
    for (const path of recordKind(kind).files.flatMap((each) => [each, ...sideFiles(each)])) {
      const file = await data.file(path);
      if (!file) continue;
      if (file.bytes > mostBytesRead) {
        isTooLarge = true;
        break;
      }
      const parts: Uint8Array[] = [];
      for await (const part of sourceBytes(file.source, 0, file.bytes)) parts.push(Uint8Array.from(part));
      files.set(path, Buffer.concat(parts));
    }
    const { count } = isTooLarge ? { count: undefined } : await readUntrustedRecords(kind, files, 0);
    if (files.size > 0 || isTooLarge) counts.set(recordKind(kind).title, count);
  }
  return counts;
}
