import { crc32cRegister } from '../../bytes/crc32.ts';
import { FormatError } from '../../bytes/format-error.ts';
import { readWithin, type ByteSource } from '../../bytes/source.ts';

// JBD2 (kernel, Documentation/filesystems/ext4, "Journal"; include/linux/jbd2.h), big endian throughout.

const magic = 0xc03b3998;
const headBytes = 12; // magic, kind, sequence
const kinds = { descriptor: 1, commit: 2, superblockV1: 3, superblockV2: 4, revoke: 5 } as const;
const features = {
  revoke: 0x1,
  wide: 0x2,
  asyncCommit: 0x4,
  checksums2: 0x8,
  checksums3: 0x10,
  fastCommit: 0x20,
};
const known =
  features.revoke |
  features.wide |
  features.asyncCommit |
  features.checksums2 |
  features.checksums3 |
  features.fastCommit;
const tagFlags = { escaped: 1, sameUuid: 2, deleted: 4, last: 8 };
const uuidBytes = 16;

/** What a journal holds that is not in its place yet. */
export interface Replay {
  /** Where the newest contents of blocks lie, by their number: a place in the file system, and whether its first bytes are to be the magic. */
  readonly blocks: ReadonlyMap<number, { readonly offset: number; readonly escaped: boolean }>;
  readonly transactions: number;
  readonly findings: readonly string[];
}

const noReplay: Replay = { blocks: new Map(), transactions: 0, findings: [] };

/** @param offsetOf where a block of the journal lies in the file system */
export async function readJournal(
  source: ByteSource,
  blockBytes: number,
  journalBlocks: number,
  offsetOf: (block: number) => number | undefined,
): Promise<Replay> {
  const bad = (field: string, reason: string) =>
    new FormatError('ext4', `journal ${field}`, offsetOf(0) ?? 0, reason);
  const read = async (block: number): Promise<{ view: DataView; bytes: Uint8Array; offset: number }> => {
    const offset = offsetOf(block);
    if (offset === undefined) throw bad('s_maxlen', `block ${block} lies nowhere`);
    const bytes = await readWithin(source, offset, blockBytes, 'ext4', 'journal');
    return { view: new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength), bytes, offset };
  };
  const sb = (await read(0)).view;
  const kind = sb.getUint32(4);
  if (sb.getUint32(0) !== magic || (kind !== kinds.superblockV1 && kind !== kinds.superblockV2))
    throw bad('h_magic', 'it has no superblock');
  if (sb.getUint32(12) !== blockBytes) throw bad('s_blocksize', `${sb.getUint32(12)}`);
  const last = sb.getUint32(16);
  const first = sb.getUint32(20);
  const start = sb.getUint32(28);
  if (start === 0) return noReplay;
  const incompatible = kind === kinds.superblockV2 ? sb.getUint32(40) : 0;
  if (incompatible & ~known) throw bad('s_feature_incompat', `0x${incompatible.toString(16)}`);
  const has = (feature: number) => (incompatible & feature) !== 0;
  if (last > journalBlocks || first < 1 || first >= last || start < first || start >= last)
    throw bad('s_start', `block ${start} of ${first} to ${last}`);
  const fastBlocks = has(features.fastCommit) ? sb.getUint32(84) || 256 : 0;
  const end = last - fastBlocks;
  if (end <= first) throw bad('s_num_fc_blks', `${fastBlocks}`);
  const uuid = new Uint8Array(sb.buffer, sb.byteOffset + 48, uuidBytes);
  const seed = crc32cRegister(uuid);
  const next = (block: number) => (block + 1 >= end ? first : block + 1);

  const blocks = new Map<number, { offset: number; escaped: boolean; sequence: number }>();
  const revoked = new Map<number, number>();
  const findings: string[] = [];
  let at = start;
  let sequence = sb.getUint32(24);
  let transactions = 0;
  let passed = 0;
  for (let isWhole = true; isWhole && passed <= end;) {
    isWhole = false;
    const written: { number: number; offset: number; escaped: boolean }[] = [];
    const revokedHere: number[] = [];
    for (; passed <= end;) {
      const { view, offset } = await read(at);
      if (view.getUint32(0) !== magic || view.getUint32(8) !== sequence) break;
      const what = view.getUint32(4);
      at = next(at);
      passed++;
      if (what === kinds.commit) {
        isWhole = true;
        break;
      }
      if (what === kinds.revoke) revokedHere.push(...revokedIn(view, has(features.wide), bad));
      else if (what === kinds.descriptor) {
        const tags = [...tagsIn(view, has, offset, bad)];
        let intact = true;
        for (const tag of tags) {
          const data = await read(at);
          const sum = has(features.checksums3) ? tag.checksum : undefined;
          if (sum !== undefined && dataSum(seed, sequence, data.bytes) !== sum) intact = false;
          if (!tag.deleted) written.push({ number: tag.number, offset: data.offset, escaped: tag.escaped });
          at = next(at);
          passed++;
        }
        if (!intact) {
          findings.push(
            'A block in the journal does not match its checksum: what follows it is not seen here.',
          );
          return { blocks, transactions, findings };
        }
      } else break;
    }
    if (!isWhole) break;
    for (const number of revokedHere) {
      revoked.set(number, sequence);
      // What was written before it was freed is not to be put back.
      if (blocks.has(number)) blocks.delete(number);
    }
    for (const { number, offset, escaped } of written)
      if (revoked.get(number) !== sequence) blocks.set(number, { offset, escaped, sequence });
    transactions++;
    sequence = (sequence + 1) >>> 0;
  }
  if (fastBlocks > 0 && (await isFastCommit(read, end, last)))
    findings.push(
      'Its journal ends in quick notes (fast commits), which are not followed: the phone may have more.',
    );
  return { blocks, transactions, findings };
}

type Bad = (field: string, reason: string) => FormatError;

function revokedIn(view: DataView, wide: boolean, bad: Bad): number[] {
  const bytes = view.getUint32(headBytes);
  const each = wide ? 8 : 4;
  if (bytes < headBytes + 4 || bytes > view.byteLength) throw bad('r_count', `${bytes}`);
  const found: number[] = [];
  for (let at = headBytes + 4; at + each <= bytes; at += each)
    found.push(wide ? Number(view.getBigUint64(at)) : view.getUint32(at));
  return found;
}

function* tagsIn(view: DataView, has: (feature: number) => boolean, offset: number, bad: Bad) {
  const is3 = has(features.checksums3);
  const tagBytes = is3 ? 16 : 8 + (has(features.checksums2) ? 2 : 0) + (has(features.wide) ? 4 : 0);
  const end = view.byteLength - (is3 || has(features.checksums2) ? 4 : 0);
  for (let at = headBytes; ;) {
    if (at + tagBytes > end) throw bad('descriptor', `no last tag in the block at ${offset}`);
    const low = view.getUint32(at);
    const flags = is3 ? view.getUint32(at + 4) : view.getUint16(at + 6);
    const high = has(features.wide) ? view.getUint32(at + 8) : 0;
    yield {
      number: low + high * 2 ** 32,
      escaped: (flags & tagFlags.escaped) !== 0,
      deleted: (flags & tagFlags.deleted) !== 0,
      checksum: is3 ? view.getUint32(at + 12) : 0,
    };
    if (flags & tagFlags.last) return;
    at += tagBytes + (flags & tagFlags.sameUuid ? 0 : uuidBytes);
  }
}

/** Of a block as it stands in the journal, after the journal's identifier and the number of the transaction. */
function dataSum(seed: number, sequence: number, bytes: Uint8Array): number {
  const number = new Uint8Array(4);
  new DataView(number.buffer).setUint32(0, sequence);
  return crc32cRegister(bytes, crc32cRegister(number, seed));
}

/** Whether the blocks for quick notes begin with one (kernel, fs/ext4/fast_commit.h: tag and length, little endian; the first is 0x000a, its head). */
async function isFastCommit(
  read: (block: number) => Promise<{ view: DataView }>,
  first: number,
  last: number,
): Promise<boolean> {
  if (first >= last) return false;
  return (await read(first)).view.getUint16(0, true) === 0x000a;
}

/** A source as it is once the journal's blocks are in their places. */
export function replayed(source: ByteSource, blockBytes: number, { blocks }: Replay): ByteSource {
  if (blocks.size === 0) return source;
  return {
    bytes: source.bytes,
    async read(offset, length) {
      const found = new Uint8Array(await source.read(offset, length));
      const end = offset + found.length;
      for (let number = Math.floor(offset / blockBytes); number * blockBytes < end; number++) {
        const newer = blocks.get(number);
        if (!newer) continue;
        const block = new Uint8Array(await source.read(newer.offset, blockBytes));
        if (newer.escaped) new DataView(block.buffer).setUint32(0, magic);
        const from = Math.max(offset, number * blockBytes);
        const to = Math.min(end, (number + 1) * blockBytes);
        found.set(block.subarray(from - number * blockBytes, to - number * blockBytes), from - offset);
      }
      return found;
    },
  };
}
