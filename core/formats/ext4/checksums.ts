import { crc32cRegister } from '../../bytes/crc32.ts';

// metadata_csum (kernel, Documentation/filesystems/ext4, "Checksums"): CRC-32C from a seed of the file system's on.

const word = (value: number): Uint8Array =>
  Uint8Array.of(value & 0xff, (value >>> 8) & 0xff, (value >>> 16) & 0xff, value >>> 24);

const noSum = new Uint8Array(2);
const inodeAt = { generation: 100, low: 124, extraBytes: 128, high: 130 };
const descriptorSumAt = 30;
const tailBytes = 12;
const tailKind = 0xde;

/** What inodes, group descriptors and blocks of directories are held against. */
export class Checksums {
  constructor(private readonly seed: number) {}

  /** @param record all bytes of the inode */
  inodeMatches(record: Uint8Array, number: number): boolean {
    const view = new DataView(record.buffer, record.byteOffset, record.byteLength);
    const hasHigh = record.length > 128 && view.getUint16(inodeAt.extraBytes, true) >= 4;
    // Over the record as if the sums themselves were zeros.
    let sum = this.inodeSeed(number, view.getUint32(inodeAt.generation, true));
    sum = crc32cRegister(record.subarray(0, inodeAt.low), sum);
    sum = crc32cRegister(noSum, sum);
    const rest = inodeAt.low + noSum.length;
    sum = crc32cRegister(record.subarray(rest, hasHigh ? inodeAt.high : record.length), sum);
    if (hasHigh) {
      sum = crc32cRegister(noSum, sum);
      sum = crc32cRegister(record.subarray(inodeAt.high + noSum.length), sum);
    }
    const low = view.getUint16(inodeAt.low, true);
    if (!hasHigh) return (sum & 0xffff) === low;
    return sum === (low | (view.getUint16(inodeAt.high, true) << 16)) >>> 0;
  }

  descriptorMatches(descriptor: Uint8Array, group: number): boolean {
    const copy = new Uint8Array(descriptor);
    copy.fill(0, descriptorSumAt, descriptorSumAt + 2);
    const sum = crc32cRegister(copy, crc32cRegister(word(group), this.seed));
    const view = new DataView(descriptor.buffer, descriptor.byteOffset, descriptor.byteLength);
    return (sum & 0xffff) === view.getUint16(descriptorSumAt, true);
  }

  /** @param block one of entries: those of an index have another tail, and those without any are taken for right */
  directoryBlockMatches(block: Uint8Array, inode: number, generation: number): boolean {
    const at = block.length - tailBytes;
    const view = new DataView(block.buffer, block.byteOffset, block.byteLength);
    const hasTail =
      view.getUint32(at, true) === 0 &&
      view.getUint16(at + 4, true) === tailBytes &&
      block[at + 7] === tailKind;
    if (!hasTail) return true;
    const sum = crc32cRegister(block.subarray(0, at), this.inodeSeed(inode, generation));
    return sum === view.getUint32(at + 8, true);
  }

  private inodeSeed(number: number, generation: number): number {
    return crc32cRegister(word(generation), crc32cRegister(word(number), this.seed));
  }
}
