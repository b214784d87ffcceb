import { DamagedImage } from '../../../failures.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { KeptImage } from '../../../larder/larder.ts';
import type { Digest, PartitionAccess } from '../../../links/phone-link.ts';
import type { ImageWriter } from '../../../shelf/image-writer.ts';
import type { Shelf } from '../../../shelf/shelf.ts';
import type { Run } from '../../engine/live-run.ts';
import { coarseBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { readAhead } from '../../../async/read-ahead.ts';
import { Slots } from '../../../async/slots.ts';
import { piecesOf, segmentsAhead, segmentsOf, type Segment } from '../../phone/pieces.ts';

/** What is needed to take an image by pieces. */
export interface ByPieces {
  readonly access: PartitionAccess;
  readonly name: string;
  readonly writer: ImageWriter;
  /** An earlier image of the whole partition, of the same size. */
  readonly base: KeptImage;
  readonly shelf: Shelf;
  readonly run: Pick<Run, 'log'>;
  readonly signal: AbortSignal;
  /** Told of bytes that need not be read. */
  readonly spared: (bytes: number) => void;
  /** What the phone tells of each coarse piece. */
  readonly onTold: (piece: ByteRange, told: Digest) => void;
  /** Told of bytes that were read. */
  readonly onStored: (bytes: number) => void;
}

/** What differs is read ahead in pieces of so many bytes, while what is the same is digested. */
const aheadBytes = 4 << 20;
const piecesAhead = 4;

/** A segment, with its bytes where they were read ahead. */
interface Fetched extends Segment {
  readonly read?: { readonly bytes: Uint8Array; readonly release: () => void };
}

/**
 * Takes the rest of an image: what the phone has as an earlier image does comes from the shelf, the rest over the cable. The
 * phone's digests of pieces only tell where to look; they prove nothing.
 * @returns false where what is missing then is to be read: the phone tells none, or most of it differs
 */
export async function takeByPieces(pieces: ByPieces): Promise<boolean> {
  const { access, name, writer, base, shelf, onStored, onTold } = pieces;
  const kept = { shelf, image: base.image, pieces: base.pieces };
  const stopping = new AbortController();
  const signal = AbortSignal.any([pieces.signal, stopping.signal]);
  try {
    const segments = await segmentsOf(access, name, kept, writer.missing[0]!, signal, onTold);
    if (!segments) return false;
    const fetched = readDiffering(access, name, segments, signal);
    for await (const { piece, isSame, read } of readAhead(fetched, segmentsAhead)) {
      // The phone gave less than it was asked for.
      if (writer.missing[0]?.offset !== piece.offset) break;
      if (read) {
        await writer.take(onePiece(read.bytes), onStored);
        read.release();
      } else if (!isSame) return false;
      else if (!(await takeKept(pieces, piece.bytes)))
        await writer.take(access.read(name, [piece], signal), onStored);
    }
    return true;
  } finally {
    // Nothing goes on that was begun ahead.
    stopping.abort();
  }
}

/** Reads what differs; a piece of which more or less comes than was asked for is left to whoever takes it. */
async function* readDiffering(
  access: PartitionAccess,
  name: string,
  segments: AsyncIterable<Segment>,
  signal: AbortSignal,
): AsyncGenerator<Fetched> {
  const memory = new Slots(piecesAhead, () => new Uint8Array(aheadBytes));
  for await (const segment of segments) {
    // The rest of it all, where most differs, is not read ahead.
    if (segment.isSame || segment.piece.bytes > coarseBytes) {
      yield segment;
      continue;
    }
    for (const piece of piecesOf(segment.piece, aheadBytes)) {
      const slot = await memory.take();
      let filled = 0;
      let isTooMuch = false;
      for await (const part of access.read(name, [piece], signal)) {
        isTooMuch = filled + part.length > piece.bytes;
        if (isTooMuch) break;
        slot.set(part, filled);
        filled += part.length;
      }
      const read = { bytes: slot.subarray(0, filled), release: () => memory.giveBack(slot) };
      yield { piece, isSame: false, ...(!isTooMuch && { read }) };
    }
  }
}

/** Takes bytes from the earlier image. @returns false where it is damaged there */
async function takeKept({ writer, base, spared, run, name }: ByPieces, bytes: number): Promise<boolean> {
  try {
    await writer.takeFrom(base.image, bytes);
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
