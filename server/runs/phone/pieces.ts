import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { DamagedImage } from '../../failures.ts';
import type { Digest, PartitionAccess } from '../../links/phone-link.ts';
import { readBlocks, type ImageRecipe } from '../../shelf/image-reader.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import type { PieceDigests } from '../../shelf/verify-image.ts';
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
  /** Digests of its coarse pieces, where they were computed already. */
  readonly coarse?: PieceDigests | undefined;
}

/**
 * Compares a partition of a phone with an image of the shelf, piece by piece. The phone's digests only tell where to look; they
 * prove nothing.
 * @returns undefined where the phone tells none; what it leaves out differs
 */
export async function comparePieces(
  access: PartitionAccess,
  name: string,
  kept: KeptPieces,
  range: ByteRange,
  pieceBytes: number,
  signal: AbortSignal,
): Promise<AsyncGenerator<{ readonly piece: ByteRange; readonly isSame: boolean }> | undefined> {
  const told = await access.digestPieces?.(name, range, pieceBytes, signal);
  return told && compared(told, kept, piecesOf(range, pieceBytes), pieceBytes);
}

async function* compared(
  told: AsyncIterable<Digest>,
  { shelf, image, coarse }: KeptPieces,
  pieces: Iterable<ByteRange>,
  pieceBytes: number,
): AsyncGenerator<{ readonly piece: ByteRange; readonly isSame: boolean }> {
  const iterator = told[Symbol.asyncIterator]();
  try {
    for (const piece of pieces) {
      const next = await iterator.next();
      if (next.done) yield { piece, isSame: false };
      else if (pieceBytes === coarseBytes && coarse?.by === next.value.by)
        yield { piece, isSame: coarse.hex[piece.offset / coarseBytes] === next.value.hex };
      else yield { piece, isSame: await hasSame(shelf, image, piece, next.value) };
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
export async function* joined(
  pieces: AsyncIterable<{ readonly piece: ByteRange; readonly isSame: boolean }>,
): AsyncGenerator<{ readonly piece: ByteRange; readonly isSame: boolean }> {
  let last: { piece: ByteRange; isSame: boolean } | undefined;
  for await (const each of pieces) {
    if (last?.isSame === each.isSame)
      last = { ...last, piece: { offset: last.piece.offset, bytes: last.piece.bytes + each.piece.bytes } };
    else {
      if (last) yield last;
      last = each;
    }
  }
  if (last) yield last;
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
  const coarse = await comparePieces(access, onto, kept, whole, coarseBytes, signal);
  if (!coarse) {
    yield whole;
    return;
  }
  for await (const { piece, isSame } of coarse) {
    const fine = isSame ? undefined : await comparePieces(access, onto, kept, piece, fineBytes, signal);
    if (!fine) {
      if (isSame) spared(piece.bytes);
      else yield piece;
      continue;
    }
    for await (const part of joined(fine)) {
      if (part.isSame) spared(part.piece.bytes);
      else yield part.piece;
    }
  }
}
