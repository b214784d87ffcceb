import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { recorded, type Recorded } from '../../async/recorded.ts';
import { readAhead } from '../../async/read-ahead.ts';
import { DamagedImage } from '../../failures.ts';
import type { Digest, PartitionAccess } from '../../links/phone-link.ts';
import { readBlocks, type ImageRecipe } from '../../shelf/image-reader.ts';
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
  /** Digests of its coarse pieces, as far as they are known; the others are computed. */
  readonly pieces?: KnownPieces | undefined;
  /** What the phone told of its coarse pieces before. */
  readonly told?: AsyncIterable<Digest> | undefined;
}

/** All coarse pieces of a partition, as its phone tells them from now on; fewer where it tells something else. */
export async function coarseDigests(
  access: PartitionAccess,
  name: string,
  bytes: number,
  signal: AbortSignal,
): Promise<Recorded<Digest> | undefined> {
  const told = await access.digestPieces?.(name, { offset: 0, bytes }, coarseBytes, signal);
  return told && recorded(told);
}

/**
 * Compares a partition of a phone with an image of the shelf, piece by piece. The phone's digests only tell where to look; they
 * prove nothing.
 * @returns undefined where the phone tells none; what it leaves out differs
 */
async function comparePieces(
  access: PartitionAccess,
  name: string,
  kept: KeptPieces,
  range: ByteRange,
  pieceBytes: number,
  signal: AbortSignal,
): Promise<AsyncGenerator<Segment> | undefined> {
  const told = await access.digestPieces?.(name, range, pieceBytes, signal);
  return told && compared(told, kept, range, pieceBytes);
}

async function* compared(
  told: AsyncIterable<Digest>,
  { shelf, image, pieces }: KeptPieces,
  range: ByteRange,
  pieceBytes: number,
): AsyncGenerator<Segment> {
  const iterator = told[Symbol.asyncIterator]();
  /** Of a coarse piece that is one of the image's. */
  const known = ({ offset }: ByteRange, by: Digest['by']) =>
    pieces?.by === by && pieceBytes === coarseBytes && offset % coarseBytes === 0
      ? pieces.hex[offset / coarseBytes]
      : undefined;
  try {
    for (const piece of piecesOf(range, pieceBytes)) {
      const next = await iterator.next();
      if (next.done) {
        yield { piece, isSame: false };
        continue;
      }
      const { value: told } = next;
      const own = known(piece, told.by);
      const isSame = own === undefined ? await hasSame(shelf, image, piece, told) : own === told.hex;
      yield { piece, isSame, told };
    }
  } finally {
    await iterator.return?.();
  }
}

/** Whether an image has what a phone told the digest of; what cannot be read of it is not the same. */
async function hasSame(
  shelf: Shelf,
  image: ImageRecipe,
  piece: ByteRange,
  { by, hex }: Digest,
): Promise<boolean> {
  const digests = shelf.workers.digestStream(by);
  let isWhole = true;
  try {
    for await (const block of readBlocks(shelf, image, piece)) {
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
  /** The phone's digest of it, where it is one piece. */
  readonly told?: Digest;
}

/** Segments found out before they are wanted. */
export const segmentsAhead = 24;
/** After so many pieces it is known whether comparing is worth it. */
const triedPieces = 32;
/** Of the pieces compared so far; where more differ, all the rest is taken to. */
const mostDiffering = 0.75;

/**
 * Where a phone has what an image has, and where not: coarse pieces, and fine ones where those differ. While one segment is dealt
 * with the next ones are found out.
 * @param onTold what the phone tells of each coarse piece
 * @returns undefined where the phone tells none
 */
export async function segmentsOf(
  access: PartitionAccess,
  name: string,
  kept: KeptPieces,
  range: ByteRange,
  signal: AbortSignal,
  onTold: (piece: ByteRange, told: Digest) => void = () => undefined,
): Promise<AsyncGenerator<Segment> | undefined> {
  const coarse = kept.told
    ? compared(kept.told, kept, range, coarseBytes)
    : await comparePieces(access, name, kept, range, coarseBytes, signal);
  if (!coarse) return undefined;
  async function* segments(pieces: AsyncGenerator<Segment>): AsyncGenerator<Segment> {
    let compared = 0;
    let differing = 0;
    for await (const { piece, isSame, told } of pieces) {
      if (told) onTold(piece, told);
      compared++;
      if (!isSame) differing++;
      if (compared >= triedPieces && differing / compared > mostDiffering) {
        yield { piece: { ...piece, bytes: range.offset + range.bytes - piece.offset }, isSame: false };
        return;
      }
      const fine = isSame ? undefined : await comparePieces(access, name, kept, piece, fineBytes, signal);
      if (fine) yield* joined(fine);
      else yield { piece, isSame };
    }
  }
  return readAhead(segments(coarse), segmentsAhead);
}

/**
 * Where a phone does not have what an image has, as far as it tells.
 * @param spared told of what it has
 */
export async function* differingRanges(
  access: PartitionAccess,
  onto: string,
  kept: KeptPieces,
  signal: AbortSignal,
  spared: (bytes: number) => void,
): AsyncGenerator<ByteRange> {
  const whole = { offset: 0, bytes: kept.image.bytes };
  const segments = await segmentsOf(access, onto, kept, whole, signal);
  if (!segments) yield whole;
  else
    for await (const { piece, isSame } of segments) {
      if (isSame) spared(piece.bytes);
      else yield piece;
    }
}
