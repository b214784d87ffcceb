import { DamagedImage, MoreThanAsked } from '../../../failures.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { KeptImage } from '../../../larder/larder.ts';
import type { Digest, PartitionAccess } from '../../../links/phone-link.ts';
import type { ImageWriter } from '../../../shelf/image-writer.ts';
import type { Shelf } from '../../../shelf/shelf.ts';
import type { Run } from '../../engine/live-run.ts';
import { coarseBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import { readAhead } from '../../../async/read-ahead.ts';
import { SetAside, type Aside } from '../../../disk/set-aside.ts';
import { piecesOf, segmentsOf, type Segment } from '../../phone/pieces.ts';

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

/** What differs is read in pieces of so many bytes, far ahead: neither does the cable wait for what is the same, nor that for the cable. */
const aheadBytes = 4 << 20;
const piecesAhead = 256;
const segmentsAhead = 2048;

/** A segment, with its bytes where they were read ahead. */
interface Fetched extends Segment {
  readonly read?: Aside | undefined;
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
  // Where it cannot be made, nothing is read ahead.
  const aside = await SetAside.open(shelf.packFolder, aheadBytes, piecesAhead).catch(() => undefined);
  try {
    const segments = await segmentsOf(access, name, kept, writer.missing[0]!, signal, onTold);
    if (!segments) return false;
    const fetched = aside ? readDiffering(access, name, segments, aside, signal) : segments;
    for await (const { piece, isSame, read } of readAhead<Fetched>(fetched, segmentsAhead)) {
      // The phone gave less than it was asked for.
      if (writer.missing[0]?.offset !== piece.offset) break;
      if (read) await writer.take(read.take(), onStored);
      else if (piece.bytes > coarseBytes && !isSame) return false;
      else if (!isSame || !(await takeKept(pieces, piece.bytes)))
        await writer.take(access.read(name, [piece], signal), onStored);
    }
    return true;
  } finally {
    // Nothing goes on that was begun ahead.
    stopping.abort();
    await aside?.close();
  }
}

/**
 * Reads what differs; what there is no room for is left to whoever takes it, as is the rest of it all where most differs.
 * @throws MoreThanAsked
 */
async function* readDiffering(
  access: PartitionAccess,
  name: string,
  segments: AsyncIterable<Segment>,
  aside: SetAside,
  signal: AbortSignal,
): AsyncGenerator<Fetched> {
  const memory = Buffer.allocUnsafe(aheadBytes);
  let hasRoom = true;
  for await (const segment of segments) {
    if (segment.isSame || segment.piece.bytes > coarseBytes || !hasRoom) {
      yield segment;
      continue;
    }
    for (const piece of piecesOf(segment.piece, aheadBytes)) {
      let filled = 0;
      for await (const part of hasRoom ? access.read(name, [piece], signal) : []) {
        if (filled + part.length > piece.bytes) throw new MoreThanAsked(piece.bytes);
        memory.set(part, filled);
        filled += part.length;
      }
      const read = hasRoom ? await aside.put(memory.subarray(0, filled)) : undefined;
      hasRoom &&= read !== undefined;
      yield { piece, isSame: false, read };
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
