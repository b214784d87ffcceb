import { FormatError } from '../../bytes/format-error.ts';
import { readUtf8 } from '../../bytes/text.ts';
import { encryptedName, type DirectoryEntry } from '../file-system/reading.ts';
import { viewOf } from '../../bytes/layout.ts';
import { directoryEntryBytes, entriesPerBlock, nameSlotBytes } from './layouts.ts';

/** How a block of entries, or as much of one as stands in an inode, is divided. */
interface Division {
  readonly entries: number;
  readonly entriesAt: number;
  readonly namesAt: number;
}

const bitmapBytes = Math.ceil(entriesPerBlock / 8);
const block: Division = {
  entries: entriesPerBlock,
  entriesAt: bitmapBytes + 3,
  namesAt: bitmapBytes + 3 + entriesPerBlock * directoryEntryBytes,
};

/** Entries of a block of a directory. @param offset where it stands, for error messages */
export const entriesOfBlock = (bytes: Uint8Array, offset: number, encrypted: boolean): DirectoryEntry[] =>
  entriesOf(bytes, block, offset, encrypted);

/** Entries that stand in an inode: as many as there is room for, what is left over stands behind the bitmap. */
export function entriesInInode(bytes: Uint8Array, offset: number, encrypted: boolean): DirectoryEntry[] {
  const each = directoryEntryBytes + nameSlotBytes;
  const entries = Math.floor((bytes.length * 8) / (each * 8 + 1));
  const entriesAt = bytes.length - entries * each;
  const division = { entries, entriesAt, namesAt: entriesAt + entries * directoryEntryBytes };
  return entriesOf(bytes, division, offset, encrypted);
}

function entriesOf(
  bytes: Uint8Array,
  { entries, entriesAt, namesAt }: Division,
  offset: number,
  encrypted: boolean,
): DirectoryEntry[] {
  const view = viewOf(bytes);
  const found: DirectoryEntry[] = [];
  for (let i = 0; i < entries;) {
    if (((bytes[i >> 3]! >> (i & 7)) & 1) === 0) {
      i++;
      continue;
    }
    const at = entriesAt + i * directoryEntryBytes;
    const inode = view.getUint32(at + 4, true);
    const nameBytes = view.getUint16(at + 8, true);
    const slots = Math.ceil(nameBytes / nameSlotBytes);
    if (nameBytes === 0 || i + slots > entries)
      throw new FormatError('f2fs', 'name_len', offset + at + 8, `${nameBytes} bytes at place ${i}`);
    const start = namesAt + i * nameSlotBytes;
    const name = bytes.subarray(start, start + nameBytes);
    const isDot = nameBytes <= 2 && name.every((byte) => byte === 0x2e);
    if (!isDot) found.push({ name: encrypted ? encryptedName(name) : readUtf8(name), inode });
    i += slots;
  }
  return found;
}
