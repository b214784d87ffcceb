import { FormatError } from '../../bytes/format-error.ts';
import { joinBytes } from '../../bytes/join.ts';
import { safeInteger, viewOf } from '../../bytes/layout.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';
import {
  blockBytes,
  checkpoint,
  checkpointFlags,
  f2fsCrc,
  journalBytes,
  natEntryBytes,
  sitEntryBytes,
  summaryEntriesBytes,
} from './layouts.ts';
import type { F2fsSuperblock } from './superblock.ts';

/** The state of the file system that was written down last. */
export interface Checkpoint {
  readonly version: bigint;
  /** Where it begins, as a block number, and how many blocks it has. */
  readonly start: number;
  readonly packBlocks: number;
  /** Blocks in use in the main area, nodes included. */
  readonly validBlocks: number;
  /** Blocks that there are for its user. */
  readonly userBlocks: number;
  readonly inodes: number;
  /** It was unmounted in order: nothing was written since. */
  readonly isClean: boolean;
  readonly findings: readonly string[];
  /** Which half of each pair of blocks holds, a bit a block. */
  readonly sitBitmap: Uint8Array;
  readonly natBitmap: Uint8Array;
  /** Newer than what stands in the tables: block numbers by node number. */
  readonly natJournal: ReadonlyMap<number, number>;
  /** Newer than what stands in the tables: entries by segment number. */
  readonly sitJournal: ReadonlyMap<number, Uint8Array>;
}

/** @throws FormatError when neither of the two packs is whole */
export async function readCheckpoint(source: ByteSource, sb: F2fsSuperblock): Promise<Checkpoint> {
  const starts = [sb.checkpoint, sb.checkpoint + sb.blocksPerSegment];
  const faults: FormatError[] = [];
  const packs: Awaited<ReturnType<typeof readPack>>[] = [];
  for (const start of starts) {
    try {
      packs.push(await readPack(source, sb, start));
    } catch (error) {
      if (!(error instanceof FormatError)) throw error;
      faults.push(error);
    }
  }
  packs.sort((a, b) => (a.head.version > b.head.version ? -1 : 1));
  const [pack] = packs;
  if (!pack) throw faults[0]!;
  const { head, start } = pack;
  const { flags } = head;
  const isSet = (flag: number) => (flags & flag) !== 0;
  const findings: string[] = [];
  if (isSet(checkpointFlags.error)) findings.push('It notes errors of its own: it should be checked.');
  if (isSet(checkpointFlags.needsCheck)) findings.push('It asks to be checked.');
  const isClean = isSet(checkpointFlags.unmounted);
  if (!isClean)
    findings.push(
      'It was not unmounted: what was written after its last checkpoint is not seen here, and the phone may have more.',
    );
  return {
    version: head.version,
    start,
    packBlocks: head.packBlocks,
    validBlocks: safeInteger(head.validBlocks, 'f2fs', 'validBlocks', start * blockBytes + 16),
    userBlocks: safeInteger(head.userBlocks, 'f2fs', 'userBlocks', start * blockBytes + 8),
    inodes: head.validInodes,
    isClean,
    findings,
    ...bitmapsOf(pack, sb),
    ...(await journalsOf(source, sb, start, head)),
  };
}

type Head = ReturnType<typeof checkpoint.read>;

interface Pack {
  readonly start: number;
  readonly head: Head;
  /** The first block and those of its payload. */
  readonly blocks: Uint8Array;
}

/** Its first and its last block are the same, and each has a checksum: what lies between was written. */
async function readPack(source: ByteSource, sb: F2fsSuperblock, start: number): Promise<Pack> {
  const first = await headBlock(source, start);
  const { packBlocks } = first.head;
  const at = start * blockBytes + checkpoint.offsetOf('packBlocks');
  if (packBlocks < 2 + sb.checkpointPayload || packBlocks > sb.blocksPerSegment)
    throw new FormatError('f2fs', 'packBlocks', at, `${packBlocks} blocks`);
  const last = await headBlock(source, start + packBlocks - 1);
  if (last.head.version !== first.head.version)
    throw new FormatError('f2fs', 'version', start * blockBytes, 'the checkpoint was not written to its end');
  const payload = await readWithin(
    source,
    (start + 1) * blockBytes,
    sb.checkpointPayload * blockBytes,
    'f2fs',
    'checkpoint',
  );
  return { start, head: first.head, blocks: joinBytes([first.block, payload]) };
}

async function headBlock(source: ByteSource, number: number) {
  const offset = number * blockBytes;
  const block = await readWithin(source, offset, blockBytes, 'f2fs', 'checkpoint');
  const head = checkpoint.read(block, 0, offset);
  const { checksumOffset } = head;
  const at = offset + checkpoint.offsetOf('checksumOffset');
  if (checksumOffset < checkpoint.bytes || checksumOffset > blockBytes - 4 || checksumOffset % 4)
    throw new FormatError('f2fs', 'checksumOffset', at, `${checksumOffset}`);
  const expected = viewOf(block).getUint32(checksumOffset, true);
  // With the checksum before the bitmaps, those behind it count as well (fs/f2fs/checkpoint.c).
  let sum = f2fsCrc(block.subarray(0, checksumOffset));
  if (checksumOffset < blockBytes - 4) sum = f2fsCrc(block.subarray(checksumOffset + 4), sum);
  if (sum !== expected)
    throw new FormatError('f2fs', 'checksum', offset + checksumOffset, 'it does not match');
  return { block, head };
}

/** Where the two bitmaps stand depends on how large they are (fs/f2fs/f2fs.h, __bitmap_ptr). */
function bitmapsOf({ start, head, blocks }: Pack, sb: F2fsSuperblock) {
  const { sitBitmapBytes: sit, natBitmapBytes: nat, flags } = head;
  const behind = checkpoint.bytes;
  const [sitAt, natAt] =
    flags & checkpointFlags.largeNatBitmap
      ? [behind + 4 + nat, behind + 4]
      : sb.checkpointPayload > 0
        ? [blockBytes, behind]
        : [behind, behind + sit];
  const part = (at: number, bytes: number, field: string) => {
    if (at + bytes > blocks.length)
      throw new FormatError('f2fs', field, start * blockBytes + at, `${bytes} bytes of bitmap`);
    return blocks.slice(at, at + bytes);
  };
  return { sitBitmap: part(sitAt, sit, 'sitBitmapBytes'), natBitmap: part(natAt, nat, 'natBitmapBytes') };
}

/** What did not go into the tables yet stands in the summaries of the pack (fs/f2fs/segment.c). */
async function journalsOf(source: ByteSource, sb: F2fsSuperblock, start: number, head: Head) {
  const { flags, packBlocks, summaryStart } = head;
  const block = (number: number) => {
    if (number < 0 || number >= packBlocks)
      throw new FormatError('f2fs', 'summaryStart', start * blockBytes, `block ${number} of ${packBlocks}`);
    return readWithin(source, (start + number) * blockBytes, blockBytes, 'f2fs', 'summary');
  };
  if (flags & checkpointFlags.compactSummaries) {
    const both = await block(summaryStart);
    return {
      natJournal: natJournal(both.subarray(0, journalBytes)),
      sitJournal: sitJournal(both.subarray(journalBytes, 2 * journalBytes), sb.mainSegments),
    };
  }
  // Summaries of three data segments, and of three node segments where it was unmounted in order.
  const hasNodes = flags & (checkpointFlags.unmounted | checkpointFlags.fastboot);
  const first = packBlocks - 1 - (hasNodes ? 6 : 3);
  const journal = async (number: number) => (await block(number)).subarray(summaryEntriesBytes, -5);
  return {
    natJournal: natJournal(await journal(first)),
    sitJournal: sitJournal(await journal(first + 2), sb.mainSegments),
  };
}

function natJournal(bytes: Uint8Array): Map<number, number> {
  const view = viewOf(bytes);
  const found = new Map<number, number>();
  for (const at of entriesOf(view, 4 + natEntryBytes))
    found.set(view.getUint32(at, true), view.getUint32(at + 4 + 5, true));
  return found;
}

function sitJournal(bytes: Uint8Array, segments: number): Map<number, Uint8Array> {
  const view = viewOf(bytes);
  const found = new Map<number, Uint8Array>();
  for (const at of entriesOf(view, 4 + sitEntryBytes)) {
    const segment = view.getUint32(at, true);
    if (segment >= segments)
      throw new FormatError('f2fs', 'sit_journal', at, `segment ${segment} of ${segments}`);
    found.set(segment, bytes.slice(at + 4, at + 4 + sitEntryBytes));
  }
  return found;
}

/** Where the entries of a journal begin: a count, then so many of them. */
function* entriesOf(view: DataView, entryBytes: number): Generator<number> {
  const count = view.getUint16(0, true);
  if (2 + count * entryBytes > view.byteLength)
    throw new FormatError('f2fs', 'journal', 0, `${count} entries of ${entryBytes} bytes`);
  for (let i = 0; i < count; i++) yield 2 + i * entryBytes;
}
