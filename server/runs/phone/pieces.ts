import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { DamagedImage } from '../../failures.ts';
import type { Digest, PartitionAccess } from '../../links/phone-link.ts';
import { readBlocks, type ImageRecipe } from '../../shelf/image-reader.ts';
import type { Shelf } from '../../shelf/shelf.ts';

/** A range in pieces of so many bytes, the last one maybe shorter. */
export function* piecesOf({ offset, bytes }: ByteRange, pieceBytes: number): Generator<ByteRange> {
  for (let at = 0; at < bytes; at += pieceBytes)
    yield { offset: offset + at, bytes: Math.min(pieceBytes, bytes - at) };
}

/**
 * Compares a partition of a phone with an image of the shelf, piece by piece. The phone's digests only tell where to look; they
 * prove nothing.
 * @returns undefined where the phone tells none; what it leaves out differs
 */
export async function comparePieces(
  access: PartitionAccess,
  name: string,
  { shelf, image }: { readonly shelf: Shelf; readonly image: ImageRecipe },
  range: ByteRange,
  pieceBytes: number,
  signal: AbortSignal,
): Promise<AsyncGenerator<{ readonly piece: ByteRange; readonly isSame: boolean }> | undefined> {
  const told = await access.digestPieces?.(name, range, pieceBytes, signal);
  return told && compared(told, shelf, image, piecesOf(range, pieceBytes));
}

async function* compared(
  told: AsyncIterable<Digest>,
  shelf: Shelf,
  image: ImageRecipe,
  pieces: Iterable<ByteRange>,
): AsyncGenerator<{ readonly piece: ByteRange; readonly isSame: boolean }> {
  const iterator = told[Symbol.asyncIterator]();
  try {
    for (const piece of pieces) {
      const next = await iterator.next();
      yield { piece, isSame: !next.done && (await hasSame(shelf, image, piece, next.value)) };
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
