import { BuildError } from '../../file-system/building.ts';
import { blockBytes, checkpoint, natEntriesPerBlock, sitEntriesPerBlock } from '../layouts.ts';

export const blocksPerSegment = 512;
/** Hot, warm and cold data, hot, warm and cold nodes: each is written to a segment of its own. */
export const logs = 6;
/** The areas begin at a whole segment behind the superblocks. */
const segment0 = blocksPerSegment;
const checkpointSegments = 2;
const checksumAt = blockBytes - 4;

const segmentsOf = (blocks: number) => Math.ceil(blocks / blocksPerSegment);

/** Where the areas of a new f2fs lie (f2fs-tools, mkfs/f2fs_format.c): block numbers, and segments. */
export class F2fsGeometry {
  readonly blocks: number;
  readonly segments: number;
  readonly segment0 = segment0;
  readonly checkpoint = segment0;
  readonly checkpointSegments = checkpointSegments;
  readonly sit: number;
  readonly sitSegments: number;
  readonly nat: number;
  readonly natSegments: number;
  readonly summaries: number;
  readonly summarySegments: number;
  readonly main: number;
  readonly mainSegments: number;
  readonly reservedSegments: number;
  readonly overprovisionedSegments: number;
  /** Blocks that there are for its user. */
  readonly userBlocks: number;
  readonly sitBitmapBytes: number;
  readonly natBitmapBytes: number;
  /** Node numbers from 0 on. */
  readonly nodes: number;

  /** @param bytes of the device @throws BuildError when these are too few */
  constructor(bytes: number) {
    this.blocks = Math.floor(bytes / blockBytes);
    this.segments = Math.floor((this.blocks - segment0) / blocksPerSegment);
    const halfSit = segmentsOf(Math.ceil(this.segments / sitEntriesPerBlock));
    this.sitSegments = 2 * halfSit;
    this.sit = this.checkpoint + checkpointSegments * blocksPerSegment;
    this.nat = this.sit + this.sitSegments * blocksPerSegment;
    const behindSit = this.segments - checkpointSegments - this.sitSegments;
    this.sitBitmapBytes = (halfSit * blocksPerSegment) / 8;
    // The bitmaps of both tables stand in the block of the checkpoint, behind its fields.
    const natBitmapMost = checksumAt - checkpoint.bytes - this.sitBitmapBytes;
    const halfNat = Math.min(
      segmentsOf(Math.ceil((Math.max(behindSit, 0) * blocksPerSegment) / natEntriesPerBlock)),
      Math.floor((natBitmapMost * 8) / blocksPerSegment),
    );
    this.natSegments = 2 * halfNat;
    this.natBitmapBytes = (halfNat * blocksPerSegment) / 8;
    this.nodes = halfNat * blocksPerSegment * natEntriesPerBlock;
    this.summaries = this.nat + this.natSegments * blocksPerSegment;
    const behindNat = behindSit - this.natSegments;
    this.summarySegments = segmentsOf(behindNat + 1);
    this.main = this.summaries + this.summarySegments * blocksPerSegment;
    this.mainSegments = behindNat - this.summarySegments;
    const { reserved, overprovisioned } = keptFree(this.mainSegments);
    this.reservedSegments = reserved;
    this.overprovisionedSegments = overprovisioned;
    if (this.segments <= 0 || this.mainSegments < this.overprovisionedSegments + 2)
      throw new BuildError(`${bytes} bytes are too few`);
    this.userBlocks = (this.mainSegments - this.overprovisionedSegments) * blocksPerSegment;
  }
}

/** What is kept free for cleaning: so much of all of it, in hundredths, that most is left. */
function keptFree(mainSegments: number): { readonly reserved: number; readonly overprovisioned: number } {
  let best = { reserved: mainSegments, overprovisioned: mainSegments };
  for (let share = 1; share < 100; share++) {
    const reserved = Math.ceil(100 / share) + 1 + logs;
    const overprovisioned = reserved + Math.ceil(((mainSegments - reserved) * share) / 100);
    if (overprovisioned < best.overprovisioned) best = { reserved, overprovisioned };
  }
  return best;
}
