import { FormatError } from '../../bytes/format-error.ts';
import { gunzip } from '../../bytes/inflate/inflate.ts';
import { unpackLz4 } from '../../bytes/unpacking/lz4-block.ts';
import { readCpio, type CpioEntry } from '../cpio/cpio.ts';

/** More than the ramdisk of any phone. */
const mostUnpacked = 128 << 20;

/** How a kernel is handed its ramdisk (Linux, Documentation/admin-guide/initrd; lz4 in its older form: doc/lz4_Frame_format.md). */
export type RamdiskPacking = 'gzip' | 'lz4' | 'none';

export interface Ramdisk {
  readonly packing: RamdiskPacking;
  readonly unpackedBytes: number;
  readonly entries: readonly CpioEntry[];
}

const starts = (bytes: Uint8Array, mark: readonly number[]) => mark.every((byte, i) => bytes[i] === byte);
const lz4Mark = [0x02, 0x21, 0x4c, 0x18];
const cpioMark = [...'070701'].map((digit) => digit.charCodeAt(0));

/**
 * Files of a ramdisk, as it lies in a boot image.
 * @returns undefined where it is packed in another way
 * @throws FormatError when it is damaged, or holds more than 128 MiB
 */
export async function readRamdisk(packed: Uint8Array): Promise<Ramdisk | undefined> {
  const found = await unpacked(packed);
  return found && { ...found, unpackedBytes: found.archive.length, entries: readCpio(found.archive) };
}

async function unpacked(
  packed: Uint8Array,
): Promise<{ readonly packing: RamdiskPacking; readonly archive: Uint8Array } | undefined> {
  if (starts(packed, [0x1f, 0x8b])) return { packing: 'gzip', archive: await gunzip(packed, mostUnpacked) };
  if (starts(packed, lz4Mark)) return { packing: 'lz4', archive: unpackLegacyLz4(packed) };
  return starts(packed, cpioMark) ? { packing: 'none', archive: packed } : undefined;
}

const blockBytes = 8 << 20;

/** Blocks of 8 MiB, each behind its packed size; they end where the next would be larger than blocks are. */
function unpackLegacyLz4(packed: Uint8Array): Uint8Array {
  const view = new DataView(packed.buffer, packed.byteOffset, packed.byteLength);
  const blocks: Uint8Array[] = [];
  for (let at = lz4Mark.length; at + 4 < packed.length;) {
    const bytes = view.getUint32(at, true);
    // Padding of pages, or the size that a kernel’s build appends.
    if (bytes === 0 || bytes > blockBytes + (blockBytes >> 7)) break;
    if (at + 4 + bytes > packed.length)
      throw new FormatError('lz4', 'block', at, `${bytes} bytes that are not there`);
    blocks.push(packed.subarray(at + 4, at + 4 + bytes));
    at += 4 + bytes;
  }
  if (blocks.length * blockBytes > mostUnpacked)
    throw new FormatError('lz4', 'block', 0, `it has ${blocks.length} blocks, more than any ramdisk`);
  const out = new Uint8Array(blocks.length * blockBytes);
  let to = 0;
  for (const block of blocks) to += unpackLz4(block, out.subarray(to, to + blockBytes));
  return out.subarray(0, to);
}
