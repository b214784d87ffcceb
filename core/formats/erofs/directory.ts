import { FormatError } from '../../bytes/format-error.ts';
import { safeInteger, viewOf } from '../../bytes/layout.ts';
import { readUtf8 } from '../../bytes/text.ts';
import type { DirectoryEntry } from '../file-system/reading.ts';
import { directoryEntryBytes } from './layouts.ts';

/** Entries of a block of a directory: so many as there is room for before the first name. @param offset of the inode, for error messages */
export function entriesOfBlock(bytes: Uint8Array, offset: number): DirectoryEntry[] {
  const view = viewOf(bytes);
  const bad = (at: number, reason: string) =>
    new FormatError('erofs', 'nameoff', offset, `${reason} at byte ${at} of a block of the directory`);
  if (bytes.length < directoryEntryBytes) throw bad(0, 'no entry');
  const nameOf = (i: number) => view.getUint16(i * directoryEntryBytes + 8, true);
  const first = nameOf(0);
  if (first < directoryEntryBytes || first > bytes.length || first % directoryEntryBytes)
    throw bad(8, `${first}`);
  const count = first / directoryEntryBytes;
  const found: DirectoryEntry[] = [];
  for (let i = 0; i < count; i++) {
    const at = i * directoryEntryBytes;
    const start = nameOf(i);
    const end = i + 1 < count ? nameOf(i + 1) : bytes.length;
    if (start < first || start >= end || end > bytes.length)
      throw bad(at + 8, `a name from ${start} to ${end}`);
    const padded = bytes.subarray(start, end);
    const zero = i + 1 === count ? padded.indexOf(0) : -1;
    const name = readUtf8(zero < 0 ? padded : padded.subarray(0, zero));
    if (name === '') throw bad(at + 8, 'an empty name');
    if (name === '.' || name === '..') continue;
    found.push({ name, inode: safeInteger(view.getBigUint64(at, true), 'erofs', 'nid', offset) });
  }
  return found;
}
