import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { ByPiecesSoFar } from '@keen-larder/core/phone/cable-choice.ts';
import { stopwatch } from '../../async/stopwatch.ts';
import { recorded, type Recorded } from '../../async/recorded.ts';
import { readAhead } from '../../async/read-ahead.ts';
import { DamagedImage } from '../../failures.ts';
import type { Digest, PartitionAccess } from '../../links/phone-link.ts';
import {
  leaveMemory,
  readBlocks,
  readingMemory,
  type ImageRecipe,
  type ReadingMemory,
} from '../../shelf/image-reader.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import type { KnownPieces } from '../../shelf/piece-digests.ts';
import { coarseBytes, fineBytes } from '@keen-larder/core/phone/piece-sizes.ts';

/** A range in pieces of so many bytes, the last one maybe shorter. */
export function* piecesOf({ offset, bytes }: ByteRange, pieceBytes: number): Generator<ByteRange> {
  for (let at = 0; at < bytes; at += pieceBytes)
    yield { offset: offset + at, bytes: Math.min(pieceBytes, bytes - at) };
}

/** An image of the shelf that a phone is compared with. */
export interface KeptPieces {
  readonly shelf: Shelf;
  readonly image: ImageRecipe;
  /** Digests of its pieces, as far as they are known; the others are computed. */
  readonly pieces?: KnownPieces | undefined;
  /** What the phone tells of coarse pieces, where it was asked before. */
  readonly told?: AsyncIterable<Digest> | undefined;
}

/**
 * All coarse pieces of a range, as its phone tells them from now on, whether somebody waits for them or not; fewer where it tells
 * something else, or is gone.
 * @param onTold for each as it comes
 * @returns undefined where the phone tells none
 */
export async function coarseDigests(
  access: PartitionAccess,
  name: string,
  range: ByteRange,
  signal: AbortSignal,
  onTold: (piece: ByteRange, told: Digest) => void = () => undefined,
): Promise<Recorded<Digest> | undefined> {
  const told = await access.digestPieces?.(name, range, coarseBytes, signal);
  if (!told) return undefined;
  async function* noticed(digests: AsyncIterable<Digest>): AsyncGenerator<Digest> {
    const pieces = piecesOf(range, coarseBytes);
    for await (const digest of digests) {
      const next = pieces.next();
      if (!next.done) onTold(next.value, digest);
      yield digest;
    }
  }
  return recorded(noticed(told));
}

/** Whether an image has a piece as a phone told it. The phone's digests only tell where to look; they prove nothing. */
type Comparison = (piece: ByteRange, told: Digest) => Promise<boolean> | boolean;

/** Of pieces in order. What the phone leaves out differs. */
async function* comparisons(
  told: AsyncIterable<Digest>,
  range: ByteRange,
  pieceBytes: number,
  isSameAs: Comparison,
): AsyncGenerator<Segment> {
  const iterator = told[Symbol.asyncIterator]();
  try {
    for (const piece of piecesOf(range, pieceBytes)) {
      const next = await iterator.next();
      if (next.done) yield { piece, isSame: false };
      else yield { piece, isSame: await isSameAs(piece, next.value) };
    }
  } finally {
    await iterator.return?.();
  }
}

/** Coarse pieces: by digests that are known of the image, else by reading it. */
const compareCoarse =
  (kept: KeptPieces, memory: ReadingMemory): Comparison =>
  (piece, told) => {
    const { pieces } = kept;
    const at = piece.offset / coarseBytes;
    const own = pieces?.by === told.by && Number.isInteger(at) ? pieces.hex[at] : undefined;
    return own === undefined ? hasSame(kept, piece, told, memory) : own === told.hex;
  };

/** The fine pieces of a coarse one: by digests that are known, else the image is read once for all of them. */
function compareFine(kept: KeptPieces, range: ByteRange, memory: ReadingMemory): Comparison {
  const first = range.offset / fineBytes;
  const known = kept.pieces?.fine?.slice(first, first + Math.ceil(range.bytes / fineBytes));
  const isKnown =
    Number.isInteger(first) &&
    known !== undefined &&
    known.length * fineBytes >= range.bytes &&
    !known.includes(undefined);
  let own: { readonly by: Digest['by']; readonly hex: Promise<readonly string[]> } | undefined;
  return async ({ offset }, { by, hex }) => {
    if (isKnown && kept.pieces!.by === by) return known[(offset - range.offset) / fineBytes] === hex;
    own ??= { by, hex: fineDigests(kept, range, by, memory) };
    return own.by === by && (await own.hex)[(offset - range.offset) / fineBytes] === hex;
  };
}

/** As far as the image can be read. */
async function fineDigests(
  { shelf, image }: KeptPieces,
  range: ByteRange,
  by: Digest['by'],
  memory: ReadingMemory,
): Promise<readonly string[]> {
  const digests: Promise<readonly string[]>[] = [];
  try {
    for await (const block of readBlocks(shelf, image, range, memory)) {
      const these = shelf.workers.digestPieces(block, fineBytes, by).finally(block.release);
      digests.push(these);
    }
  } catch (error) {
    if (!(error instanceof DamagedImage)) throw error;
  }
  return (await Promise.all(digests)).flat();
}

/** Whether an image has what a phone told the digest of; what cannot be read of it is not the same. */
async function hasSame(
  { shelf, image }: KeptPieces,
  piece: ByteRange,
  { by, hex }: Digest,
  memory: ReadingMemory,
): Promise<boolean> {
  const digests = shelf.workers.digestStream(by);
  let isWhole = true;
  try {
    for await (const block of readBlocks(shelf, image, piece, memory)) {
      await digests.update(block);
      block.release();
    }
  } catch (error) {
    if (!(error instanceof DamagedImage)) throw error;
    isWhole = false;
  } finally {
    const own = await digests.finish();
    isWhole &&= own.toString('hex') === hex;
  }
  return isWhole;
}

/** Pieces one after the other that are alike, as one. */
async function* joined(pieces: AsyncIterable<Segment>): AsyncGenerator<Segment> {
  let last: Segment | undefined;
  for await (const each of pieces) {
    if (last?.isSame === each.isSame)
      last = {
        isSame: last.isSame,
        piece: { offset: last.piece.offset, bytes: last.piece.bytes + each.piece.bytes },
      };
    else {
      if (last) yield last;
      last = each;
    }
  }
  if (last) yield last;
}

/** A part of an image, and whether the phone has it as far as it tells. */
export interface Segment {
  readonly piece: ByteRange;
  readonly isSame: boolean;
}

/** Blocks of an image that are read ahead for comparing. */
const comparedAhead = 2;
/** Segments found out before they are wanted. */
const segmentsAhead = 24;
/** After so many pieces, and so much of all of it, it is known whether comparing is worth it: what is new often stands together. */
const triedPieces = 32;
const triedShare = 0.25;
/** Of the bytes compared so far; where more differ, all the rest is taken to. */
const usualMostDiffering = 0.75;
/** Of pieces of which nearly all differs the fine ones are not asked for; after so many it is tried again. */
const fineTried = 8;
const mostFineDiffering = 0.75;

/** What was found so far, and whether it is worth going on. */
class Findings {
  private pieces = 0;
  private comparedBytes = 0;
  private differingBytes = 0;
  private readonly fine: number[] = [];
  private passedOver = 0;

  constructor(
    private readonly bytes: number,
    private readonly mostDiffering: number,
  ) {}

  add(piece: ByteRange, differingBytes: number): void {
    this.pieces++;
    this.comparedBytes += piece.bytes;
    this.differingBytes += differingBytes;
  }

  /** @param share of the bytes of a piece whose fine ones were compared */
  addFine(share: number): void {
    this.fine.push(share);
    if (this.fine.length > fineTried) this.fine.shift();
    this.passedOver = 0;
  }

  get isHopeless(): boolean {
    return (
      this.pieces >= triedPieces &&
      this.comparedBytes >= this.bytes * triedShare &&
      this.differingBytes / this.comparedBytes > this.mostDiffering
    );
  }

  get isFineWorthIt(): boolean {
    const share = this.fine.reduce((sum, each) => sum + each, 0) / this.fine.length;
    if (this.fine.length < fineTried || share <= mostFineDiffering) return true;
    return ++this.passedOver >= fineTried;
  }
}

/**
 * Where a phone has what an image has, and where not: coarse pieces, and fine ones where those differ. While one segment is dealt
 * with the next ones are found out.
 * @param mostDiffering of the bytes compared so far; where more differ, all the rest is taken to; 1 for never
 * @returns undefined where the phone tells none
 */
export async function segmentsOf(
  access: PartitionAccess,
  name: string,
  kept: KeptPieces,
  range: ByteRange,
  signal: AbortSignal,
  mostDiffering = usualMostDiffering,
): Promise<AsyncGenerator<Segment> | undefined> {
  const toldCoarse = kept.told ?? (await access.digestPieces?.(name, range, coarseBytes, signal));
  if (!toldCoarse) return undefined;
  const memory = readingMemory(comparedAhead);
  const coarse = comparisons(toldCoarse, range, coarseBytes, compareCoarse(kept, memory));
  async function* segments(pieces: AsyncGenerator<Segment>): AsyncGenerator<Segment> {
    try {
      const findings = new Findings(range.bytes, mostDiffering);
      for await (const { piece, isSame } of pieces) {
        if (findings.isHopeless) {
          yield { piece: { ...piece, bytes: range.offset + range.bytes - piece.offset }, isSame: false };
          return;
        }
        const asksFine = !isSame && (mostDiffering === 1 || findings.isFineWorthIt);
        const toldFine = asksFine ? await access.digestPieces?.(name, piece, fineBytes, signal) : undefined;
        if (!toldFine) {
          findings.add(piece, isSame ? 0 : piece.bytes);
          yield { piece, isSame };
          continue;
        }
        let differing = 0;
        for await (const each of joined(
          comparisons(toldFine, piece, fineBytes, compareFine(kept, piece, memory)),
        )) {
          if (!each.isSame) differing += each.piece.bytes;
          yield each;
        }
        findings.add(piece, differing);
        findings.addFine(differing / piece.bytes);
      }
    } finally {
      leaveMemory(memory);
    }
  }
  return readAhead(segments(coarse), segmentsAhead);
}

/**
 * Where a phone does not have what an image has, as far as it tells.
 * @param spared told of what it has
 * @param isWholeSooner whether all the rest is to be written, since comparing takes longer
 */
export async function* differingRanges(
  access: PartitionAccess,
  onto: string,
  kept: KeptPieces,
  signal: AbortSignal,
  spared: (bytes: number) => void,
  isWholeSooner: (soFar: ByPiecesSoFar) => boolean = () => false,
): AsyncGenerator<ByteRange> {
  const whole = { offset: 0, bytes: kept.image.bytes };
  const segments = await segmentsOf(access, onto, kept, whole, signal);
  if (!segments) {
    yield whole;
    return;
  }
  let [sameBytes, ms] = [0, 0];
  try {
    for (;;) {
      // Comparing goes on while what differs is written: what counts is what is waited for.
      const waited = stopwatch();
      const next = await segments.next();
      if (next.done) return;
      const { piece, isSame } = next.value;
      if (!isSame) {
        yield piece;
        continue;
      }
      spared(piece.bytes);
      sameBytes += piece.bytes;
      ms += waited();
      const end = piece.offset + piece.bytes;
      if (end === whole.bytes || !isWholeSooner({ sameBytes, ms })) continue;
      yield { offset: end, bytes: whole.bytes - end };
      return;
    }
  } finally {
    await segments.return(undefined);
  }
}
