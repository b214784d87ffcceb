import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { DamagedImage } from '../../../failures.ts';
import type { KeptImage } from '../../../larder/larder.ts';
import type { Digest, PartitionAccess } from '../../../links/phone-link.ts';
import type { ImageWriter } from '../../../shelf/image-writer.ts';
import type { Shelf } from '../../../shelf/shelf.ts';
import type { Run } from '../../engine/live-run.ts';
import { coarseBytes, fineBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import { comparePieces, joined, piecesOf } from '../../phone/pieces.ts';

/** After so many pieces it is known whether comparing is worth it. */
const triedPieces = 32;
/** Of the pieces compared so far; where more differ, all the rest is read. */
const mostDiffering = 0.75;

/** What is needed to take an image by pieces. */
export interface ByPieces {
  readonly access: PartitionAccess;
  readonly name: string;
  readonly writer: ImageWriter;
  /** An earlier image of the whole partition, of the same size. */
  readonly base: KeptImage;
  readonly shelf: Shelf;
  readonly run: Pick<Run, 'log' | 'withoutBytes'>;
  readonly signal: AbortSignal;
  /** Told of bytes that need not be read. */
  readonly spared: (bytes: number) => void;
  /** Told of bytes that were read. */
  readonly onStored: (bytes: number) => void;
}

/**
 * Takes the rest of an image: what the phone has as an earlier image does comes from the shelf, the rest over the cable. The
 * phone's digests of pieces only tell where to look; they prove nothing.
 * @returns false where the phone tells none, or where most of it differs: what is missing then is to be read
 */
export async function takeByPieces(pieces: ByPieces): Promise<boolean> {
  const { access, name, writer, run, signal } = pieces;
  const rest = writer.missing[0]!;
  const told = await run.withoutBytes(async () => access.digestPieces?.(name, rest, coarseBytes, signal));
  if (!told) return false;
  const iterator = told[Symbol.asyncIterator]();
  let compared = 0;
  let differing = 0;
  try {
    for (const range of piecesOf(rest, coarseBytes)) {
      const isSame = await run.withoutBytes(async () => {
        const next = await iterator.next();
        return !next.done && (await takeKept(pieces, range.bytes, next.value));
      });
      compared++;
      if (isSame) continue;
      differing++;
      if (compared >= triedPieces && differing / compared > mostDiffering) return false;
      await takeFinely(pieces, range);
    }
  } finally {
    await iterator.return?.();
  }
  return true;
}

/** Takes bytes from the earlier image, if it has them as they are told. */
async function takeKept(
  { writer, base, spared, run, name }: ByPieces,
  bytes: number,
  told?: Digest,
): Promise<boolean> {
  try {
    if (!(await writer.takeFrom(base.image, bytes, told))) return false;
  } catch (error) {
    if (!(error instanceof DamagedImage)) throw error;
    run.log(
      `${name}: a part of the image in “${base.label}” is damaged on the shelf. It is read again.`,
      'warning',
    );
    return false;
  }
  spared(bytes);
  return true;
}

/** Takes a coarse piece of which something differs. */
async function takeFinely(pieces: ByPieces, range: ByteRange): Promise<void> {
  const { access, name, writer, run, signal, onStored, shelf, base } = pieces;
  const read = (part: ByteRange) => writer.take(access.read(name, [part], signal), onStored);
  const kept = { shelf, image: base.image };
  const fine = await run.withoutBytes(async () => {
    const compared = await comparePieces(access, name, kept, range, fineBytes, signal);
    return compared && (await all(joined(compared)));
  });
  for (const { piece, isSame } of fine ?? [{ piece: range, isSame: false }])
    if (!isSame || !(await run.withoutBytes(() => takeKept(pieces, piece.bytes)))) await read(piece);
}

async function all<T>(each: AsyncIterable<T>): Promise<T[]> {
  const found: T[] = [];
  for await (const one of each) found.push(one);
  return found;
}
