import { recordKind, sideFiles, type RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { sourceBytes } from '../formats/file-source.ts';
import type { UserData } from '../larder/user-data.ts';
import type { FileAccess } from '../links/phone-link.ts';
import { fetchRecords, findRecords, mostBytesRead } from './phone-records.ts';
import { readRecords } from './records-reader.ts';

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

/** How many records of each kind a phone has, by their titles. */
export async function countsOnPhone(files: FileAccess): Promise<Map<string, number>> {
  const counts = new Map<string, number>();
  for (const found of await findRecords(files, counted)) {
    const { read } = await fetchRecords(files, found, 0);
    if (read.count !== undefined && found.files.length > 0)
      counts.set(recordKind(found.kind).title, read.count);
  }
  return counts;
}

/** How many records of each kind kept user data has, by their titles. */
export async function countsKept(data: UserData): Promise<Map<string, number>> {
  const counts = new Map<string, number>();
  for (const kind of counted) {
    const files = new Map<string, Uint8Array>();
    for (const path of recordKind(kind).files.flatMap((each) => [each, ...sideFiles(each)])) {
      const file = await data.file(path);
      if (!file || file.bytes > mostBytesRead) continue;
      const parts: Uint8Array[] = [];
      for await (const part of sourceBytes(file.source, 0, file.bytes)) parts.push(Uint8Array.from(part));
      files.set(path, Buffer.concat(parts));
    }
    const { count } = readRecords(kind, files, 0);
    if (count !== undefined && files.size > 0) counts.set(recordKind(kind).title, count);
  }
  return counts;
}
