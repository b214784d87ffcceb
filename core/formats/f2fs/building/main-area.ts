import { BuildError, type BlockRun } from '../../file-system/building.ts';
import { summaryEntryBytes } from '../layouts.ts';
import { blocksPerSegment, logs, type F2fsGeometry } from './geometry.ts';

/** What a segment holds: blocks of files and directories, or nodes. */
export type SegmentKind = 'data' | 'node';

const mapBytes = blocksPerSegment / 8;
const bitOf = (block: number) => 0x80 >> (block & 7);

/** Which blocks of the main area are taken, for what, and whose each is. */
export class MainArea {
  private readonly map: Uint8Array;
  private readonly kinds: (SegmentKind | undefined)[];
  private readonly counts: Uint16Array;
  private readonly owners: Uint8Array;
  private readonly next: Record<SegmentKind, number> = { data: 0, node: 0 };
  private emptySegments: number;
  /** Blocks taken. */
  valid = 0;

  constructor(private readonly geometry: F2fsGeometry) {
    const { mainSegments } = geometry;
    this.map = new Uint8Array(mainSegments * mapBytes);
    this.kinds = new Array<SegmentKind | undefined>(mainSegments).fill(undefined);
    this.counts = new Uint16Array(mainSegments);
    this.owners = new Uint8Array(mainSegments * blocksPerSegment * summaryEntryBytes);
    this.emptySegments = mainSegments;
  }

  get freeBlocks(): number {
    return Math.max(0, this.geometry.userBlocks - this.valid);
  }

  /** Takes the blocks of runs for data, unless one of them is taken already: then none, and the answer is false. */
  reserve(runs: readonly BlockRun[]): boolean {
    const blocks = runs.flatMap(({ block, count }) =>
      Array.from({ length: count }, (_, i) => block + i - this.geometry.main),
    );
    const last = this.geometry.mainSegments * blocksPerSegment;
    const isFree = (block: number) =>
      block >= 0 &&
      block < last &&
      !this.isTaken(block) &&
      this.kinds[Math.floor(block / blocksPerSegment)] !== 'node';
    if (!blocks.every(isFree)) return false;
    for (const block of blocks) this.take(block, 'data');
    return true;
  }

  /** The next free blocks. @throws BuildError */
  allocate(kind: SegmentKind, count: number): BlockRun[] {
    const runs: { block: number; count: number }[] = [];
    for (let left = count; left > 0; left--) {
      const block = this.nextFree(kind);
      if (this.freeBlocks === 0 || block === undefined) throw new BuildError('No space left on device');
      this.take(block, kind);
      const at = block + this.geometry.main;
      const last = runs.at(-1);
      if (last && last.block + last.count === at) last.count++;
      else runs.push({ block: at, count: 1 });
    }
    return runs;
  }

  /** Says whose a block is: a node's own number, or the node that has its address, and in which place. */
  own(block: number, node: number, place: number): void {
    const at = (block - this.geometry.main) * summaryEntryBytes;
    const view = new DataView(this.owners.buffer);
    view.setUint32(at, node, true);
    view.setUint16(at + 5, place, true);
  }

  countOf(segment: number): number {
    return this.counts[segment]!;
  }

  kindOf(segment: number): SegmentKind | undefined {
    return this.kinds[segment];
  }

  mapOf(segment: number): Uint8Array {
    return this.map.subarray(segment * mapBytes, (segment + 1) * mapBytes);
  }

  ownersOf(segment: number): Uint8Array {
    const bytes = blocksPerSegment * summaryEntryBytes;
    return this.owners.subarray(segment * bytes, (segment + 1) * bytes);
  }

  /** Segments that nothing lies in. */
  empty(): number[] {
    return [...this.counts.keys()].filter((segment) => this.counts[segment] === 0);
  }

  private isTaken(block: number): boolean {
    return (this.map[block >> 3]! & bitOf(block)) !== 0;
  }

  private take(block: number, kind: SegmentKind): void {
    const segment = Math.floor(block / blocksPerSegment);
    this.map[block >> 3]! |= bitOf(block);
    if (this.counts[segment]!++ === 0) this.emptySegments--;
    this.kinds[segment] = kind;
    this.valid++;
  }

  /** In a segment of its kind, or in one that nothing lies in. */
  private nextFree(kind: SegmentKind): number | undefined {
    const { mainSegments } = this.geometry;
    for (; this.next[kind] < mainSegments * blocksPerSegment; this.next[kind]++) {
      const block = this.next[kind];
      const segment = Math.floor(block / blocksPerSegment);
      const other = this.kinds[segment];
      // What is written next goes to segments that nothing lies in.
      const isOpen = other === kind || (other === undefined && this.emptySegments > logs);
      if (!isOpen) this.next[kind] = (segment + 1) * blocksPerSegment - 1;
      else if (!this.isTaken(block)) return block;
    }
    return undefined;
  }
}
