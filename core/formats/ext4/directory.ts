import { FormatError } from '../../bytes/format-error.ts';
import { readUtf8 } from '../../bytes/text.ts';
import { encryptedName, type DirectoryEntry } from '../file-system/reading.ts';

/** Bytes of struct ext4_dir_entry_2 before the name. */
const headBytes = 8;

/**
 * Entries of one directory block. Index blocks of hashed directories read as one empty entry, so a
 * linear walk over all blocks finds every name (kernel docs, "Directory Entries").
 * @param offset where the block stands in the file system
 * @param encrypted whether names say nothing without the phone's keys
 * @param typed whether byte 7 is the file type (feature filetype) or the name length's upper half
 */
export function entriesOfBlock(
  block: Uint8Array,
  offset: number,
  blockBytes: number,
  typed: boolean,
  encrypted = false,
): DirectoryEntry[] {
  const found: DirectoryEntry[] = [];
  const view = new DataView(block.buffer, block.byteOffset, block.byteLength);
  for (let at = 0; at + headBytes <= block.length;) {
    const inode = view.getUint32(at, true);
    const entryBytes = recordBytes(view.getUint16(at + 4, true), blockBytes);
    const nameBytes = typed ? block[at + 6]! : view.getUint16(at + 6, true);
    if (entryBytes < headBytes || entryBytes % 4 !== 0 || at + entryBytes > block.length) {
      throw new FormatError('ext4', 'rec_len', offset + at + 4, `${entryBytes}`);
    }
    if (inode !== 0) {
      if (nameBytes === 0 || headBytes + nameBytes > entryBytes) {
        throw new FormatError('ext4', 'name_len', offset + at + 6, `${nameBytes} in ${entryBytes}`);
      }
      const name = block.subarray(at + headBytes, at + headBytes + nameBytes);
      const isDot = nameBytes <= 2 && name.every((byte) => byte === 0x2e);
      if (!isDot) found.push({ name: encrypted ? encryptedName(name) : readUtf8(name), inode });
    }
    at += entryBytes;
  }
  return found;
}

/** Blocks of 64 KiB do not fit 16 bits; 0 and 65535 stand for a whole block. */
const recordBytes = (stored: number, blockBytes: number) =>
  blockBytes === 65536 && (stored === 0 || stored === 65535) ? 65536 : stored;
