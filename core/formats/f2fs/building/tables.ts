import { viewOf } from '../../../bytes/layout.ts';
import { utf16 } from '../../../bytes/text.ts';
import { zeroIn, type BuildSink, type FileSystemPlan } from '../../file-system/building.ts';
import {
  blockBytes,
  checkpoint,
  checkpointFlags,
  f2fsCrc,
  natEntriesPerBlock,
  natEntryBytes,
  sitEntriesPerBlock,
  sitEntryBytes,
  superblock,
  superblockMagic,
} from '../layouts.ts';
import { blocksPerSegment, logs, type F2fsGeometry } from './geometry.ts';
import type { MainArea } from './main-area.ts';

export const rootNumber = 3;
const nodeNumber = 1;
const metaNumber = 2;
/** What is no block: as for an inode that is only in memory. */
const virtualAddress = 1;
const noSegment = 0xffffffff;
/** Behind the 6 of each kind there is room for more. */
const logSlots = 8;
const nodeLog = 3;
const superblockOffset = 1024;
const versions = { major: 1, minor: 16 } as const;

/** The superblock, twice (kernel, include/linux/f2fs_fs.h). */
export async function writeSuperblocks(
  sink: BuildSink,
  plan: FileSystemPlan,
  geometry: F2fsGeometry,
): Promise<void> {
  const volumeName = new Uint8Array(1024);
  volumeName.set(utf16(plan.volume).subarray(0, volumeName.length - 2));
  const block = new Uint8Array(blockBytes);
  superblock.write(block, superblockOffset, {
    magic: superblockMagic,
    majorVersion: versions.major,
    minorVersion: versions.minor,
    sectorBits: 9,
    sectorsPerBlockBits: 3,
    blockBits: 12,
    blocksPerSegmentBits: 9,
    segmentsPerSection: 1,
    sectionsPerZone: 1,
    checksumOffset: 0,
    blocks: BigInt(geometry.blocks),
    sections: geometry.mainSegments,
    segments: geometry.segments,
    checkpointSegments: geometry.checkpointSegments,
    sitSegments: geometry.sitSegments,
    natSegments: geometry.natSegments,
    summarySegments: geometry.summarySegments,
    mainSegments: geometry.mainSegments,
    segment0: geometry.segment0,
    checkpoint: geometry.checkpoint,
    sit: geometry.sit,
    nat: geometry.nat,
    summaries: geometry.summaries,
    main: geometry.main,
    rootInode: rootNumber,
    nodeInode: nodeNumber,
    metaInode: metaNumber,
    uuid: plan.uuid,
    volumeName,
    extensionCount: 0,
    extensions: new Uint8Array(512),
    checkpointPayload: 0,
    version: '',
    firstVersion: '',
    features: 0,
    encryptionLevel: 0,
    encryptionSalt: new Uint8Array(16),
    devices: new Uint8Array(544),
    quotaInodes: [0, 0, 0],
    hotExtensions: 0,
    encoding: 0,
    encodingFlags: 0,
    stopReasons: new Uint8Array(32),
    errors: new Uint8Array(16),
    reserved: new Uint8Array(258),
    crc: 0,
  });
  await sink.write(0, block);
  await sink.write(blockBytes, block);
}

/** Where a node lies, and of which inode it is. */
export interface NodeEntry {
  readonly inode: number;
  readonly block: number;
}

/** The table of node addresses; its second half is not in use. */
export async function writeNodeTable(
  sink: BuildSink,
  { nat, natSegments }: F2fsGeometry,
  nodes: ReadonlyMap<number, NodeEntry>,
): Promise<void> {
  const all = new Map(nodes);
  for (const number of [nodeNumber, metaNumber]) all.set(number, { inode: number, block: virtualAddress });
  const blocks = new Map<number, Uint8Array>();
  for (const [number, { inode, block }] of all) {
    const index = Math.floor(number / natEntriesPerBlock);
    const bytes = blocks.get(index) ?? new Uint8Array(blockBytes);
    blocks.set(index, bytes);
    const view = viewOf(bytes);
    const at = (number % natEntriesPerBlock) * natEntryBytes;
    view.setUint32(at + 1, inode, true);
    view.setUint32(at + 5, block, true);
  }
  // Each segment of it has its second half behind it.
  for (let index = 0; index < (natSegments / 2) * blocksPerSegment; index++) {
    const within = index % blocksPerSegment;
    const offset = (nat + 2 * (index - within) + within) * blockBytes;
    const block = blocks.get(index);
    if (block) await sink.write(offset, block);
    else await zeroIn(sink, offset, blockBytes);
  }
}

/** How a segment is told: what it is for, how many blocks of it are taken, and which. */
function segmentEntry(into: Uint8Array, log: number, area: MainArea, segment: number): void {
  viewOf(into).setUint16(0, (log << 10) | area.countOf(segment), true);
  into.set(area.mapOf(segment), 2);
}

/** The table of segments. @param open the six that are written to next, by log */
export async function writeSegmentTable(
  sink: BuildSink,
  { sit, mainSegments }: F2fsGeometry,
  area: MainArea,
  open: readonly number[],
): Promise<void> {
  for (let first = 0; first < mainSegments; first += sitEntriesPerBlock) {
    const block = new Uint8Array(blockBytes);
    for (let i = 0; i < sitEntriesPerBlock && first + i < mainSegments; i++) {
      const segment = first + i;
      const isOpen = open.indexOf(segment);
      const log = isOpen >= 0 ? isOpen : area.kindOf(segment) === 'node' ? nodeLog : 0;
      segmentEntry(block.subarray(i * sitEntryBytes, (i + 1) * sitEntryBytes), log, area, segment);
    }
    await sink.write((sit + first / sitEntriesPerBlock) * blockBytes, block);
  }
}

/** Whose the blocks of a segment are. */
function summaryBlock(area: MainArea, segment: number, isNode: boolean): Uint8Array {
  const block = new Uint8Array(blockBytes);
  block.set(area.ownersOf(segment));
  block[blockBytes - 5] = isNode ? 1 : 0;
  return block;
}

/** Summaries of the segments that something lies in. */
export async function writeSummaries(
  sink: BuildSink,
  { summaries, mainSegments }: F2fsGeometry,
  area: MainArea,
): Promise<void> {
  for (let segment = 0; segment < mainSegments; segment++) {
    if (area.countOf(segment) === 0) continue;
    const isNode = area.kindOf(segment) === 'node';
    await sink.write((summaries + segment) * blockBytes, summaryBlock(area, segment, isNode));
  }
}

/** What a checkpoint counts. */
export interface Counts {
  readonly version: bigint;
  readonly nodes: number;
  readonly inodes: number;
  readonly nextNode: number;
}

/** Both packs: the first is whole and counts, the second is older than any. */
export async function writeCheckpoints(
  sink: BuildSink,
  geometry: F2fsGeometry,
  area: MainArea,
  open: readonly number[],
  counts: Counts,
): Promise<void> {
  const slots = (segments: readonly number[]) =>
    Array.from({ length: logSlots }, (_, i) => segments[i] ?? noSegment);
  const packBlocks = 2 + logs;
  const head = (version: bigint): Uint8Array => {
    const block = new Uint8Array(blockBytes);
    checkpoint.write(block, 0, {
      version,
      userBlocks: BigInt(geometry.userBlocks),
      validBlocks: BigInt(area.valid),
      reservedSegments: geometry.reservedSegments,
      overprovisionedSegments: geometry.overprovisionedSegments,
      freeSegments: area.empty().length - logs,
      nodeSegments: slots(open.slice(nodeLog)),
      nodeOffsets: new Uint8Array(16),
      dataSegments: slots(open.slice(0, nodeLog)),
      dataOffsets: new Uint8Array(16),
      flags: checkpointFlags.unmounted,
      packBlocks,
      summaryStart: 1,
      validNodes: counts.nodes,
      validInodes: counts.inodes,
      nextFreeNode: counts.nextNode,
      sitBitmapBytes: geometry.sitBitmapBytes,
      natBitmapBytes: geometry.natBitmapBytes,
      checksumOffset: blockBytes - 4,
      elapsedSeconds: 0n,
      allocationTypes: new Uint8Array(16),
    });
    viewOf(block).setUint32(blockBytes - 4, f2fsCrc(block.subarray(0, -4)), true);
    return block;
  };
  for (const [start, version] of [
    [geometry.checkpoint, counts.version],
    [geometry.checkpoint + blocksPerSegment, 0n],
  ] as const) {
    await sink.write(start * blockBytes, head(version));
    for (const [log, segment] of open.entries())
      await sink.write((start + 1 + log) * blockBytes, summaryBlock(area, segment, log >= nodeLog));
    await sink.write((start + packBlocks - 1) * blockBytes, head(version));
  }
}
