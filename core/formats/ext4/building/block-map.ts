import { BuildError, type BlockRun } from '../../file-system/building.ts';
import { blocksPerGroup, type Ext4Geometry } from './geometry.ts';

export const setBit = (bits: Uint8Array, i: number): void => void (bits[i >> 3]! |= 1 << (i & 7));
const isSet = (bits: Uint8Array, i: number) => (bits[i >> 3]! & (1 << (i & 7))) !== 0;

/** Which blocks of a new file system are taken. */
export class BlockMap {
  private readonly used: Uint8Array;
  /** Everything before it is taken. */
  private nextBlock = 0;

  constructor(private readonly geometry: Ext4Geometry) {
    this.used = new Uint8Array(geometry.groups * (blocksPerGroup / 8));
    for (let group = 0; group < geometry.groups; group++) {
      this.take(group * blocksPerGroup, geometry.dataStart(group) - group * blocksPerGroup);
    }
  }

  /** Takes the blocks of runs, unless one of them is taken already: then none, and the answer is false. */
  reserve(runs: readonly BlockRun[]): boolean {
    for (const { block, count } of runs) {
      for (let i = 0; i < count; i++)
        if (block + i >= this.geometry.blocks || isSet(this.used, block + i)) return false;
    }
    for (const { block, count } of runs) this.take(block, count);
    return true;
  }

  /** The next free blocks, in as few pieces as the tables between them allow. @throws BuildError */
  allocate(count: number): BlockRun[] {
    const { blocks } = this.geometry;
    const runs: { block: number; count: number }[] = [];
    for (let left = count; left > 0;) {
      while (this.nextBlock < blocks && isSet(this.used, this.nextBlock)) this.nextBlock++;
      if (this.nextBlock >= blocks) throw new BuildError('No space left on device');
      const from = this.nextBlock;
      while (left > 0 && this.nextBlock < blocks && !isSet(this.used, this.nextBlock)) {
        setBit(this.used, this.nextBlock++);
        left--;
      }
      runs.push({ block: from, count: this.nextBlock - from });
    }
    return runs;
  }

  /** How many are taken of the blocks in a range. */
  taken(from: number, to: number): number {
    let found = 0;
    for (let block = from; block < to; block++) {
      // Most of a device is free or taken by whole bytes.
      const byte = block % 8 === 0 && block + 8 <= to ? this.used[block / 8] : undefined;
      if (byte === 0 || byte === 0xff) {
        found += byte === 0 ? 0 : 8;
        block += 7;
      } else if (isSet(this.used, block)) found++;
    }
    return found;
  }

  /** The bitmap of a group; what lies behind the device is taken. */
  bitmap(group: number): Uint8Array {
    const start = group * blocksPerGroup;
    const bits = Uint8Array.from(this.used.subarray(start / 8, (start + blocksPerGroup) / 8));
    for (let block = this.geometry.blocks; block < start + blocksPerGroup; block++)
      setBit(bits, block - start);
    return bits;
  }

  private take(block: number, count: number): void {
    for (let i = 0; i < count; i++) setBit(this.used, block + i);
  }
}
