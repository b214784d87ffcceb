import { DamagedImage, MoreThanAsked } from '../../../failures.ts';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { rangesBytes, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { KeptImage } from '../../../larder/kept-pieces.ts';
import type { PartitionAccess } from '../../../links/phone-link.ts';
import type { ImageWriter } from '../../../shelf/image-writer.ts';
import type { Shelf } from '../../../shelf/shelf.ts';
import type { Run } from '../../engine/live-run.ts';
import type { ByPiecesSoFar } from '@keen-larder/core/phone/cable-choice.ts';
import { coarseBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import { inBatches } from '../../../async/in-batches.ts';
import { stopwatch } from '../../../async/stopwatch.ts';
import { readAhead } from '../../../async/read-ahead.ts';
import { SetAside, type Aside } from '../../../disk/set-aside.ts';
import { coarseDigests, piecesOf, segmentsOf, type Segment } from '../../phone/pieces.ts';
import type { ToldPieces } from './told-pieces.ts';

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
  /** Takes down what the phone tells of coarse pieces, of all of them also where only some are taken from the shelf. */
  readonly told: Pick<ToldPieces, 'take' | 'signal'>;
  /** Told of bytes that were read. */
  readonly onStored: (bytes: number) => void;
  /** Whether the rest is read sooner as a whole. */
  readonly isWholeSooner: (soFar: ByPiecesSoFar) => boolean;
}

/** What differs is read in pieces of so many bytes, far ahead: neither does the cable wait for what is the same, nor that for the cable. */
const aheadBytes = 4 << 20;
const piecesAhead = 256;
const segmentsAhead = 2048;
/** What is asked for at once, where so much of what differs is known. */
const batchBytes = 32 << 20;
/** What is the same is taken so much at a time, to see meanwhile how fast it goes. */
const sameAtOnceBytes = 256 << 20;

/** A segment, with its bytes where they were read ahead. */
interface Fetched extends Segment {
  readonly ahead?: Aside | undefined;
}

/**
 * Takes the rest of an image: what the phone has as an earlier image does comes from the shelf, the rest over the cable. The
 * phone's digests of pieces only tell where to look; they prove nothing.
 * @returns false where what is missing then is to be read: the phone tells none, most of it differs, or the cable is faster
 */
export async function takeByPieces(pieces: ByPieces): Promise<boolean> {
  const { access, name, writer, base, shelf, run, onStored } = pieces;
  let [sameBytes, ms] = [0, 0];
  const read = (piece: ByteRange) => writer.take(access.read(name, [piece], signal), onStored);
  const isWholeSooner = () => writer.missing.length > 0 && pieces.isWholeSooner({ sameBytes, ms });
  const stopping = new AbortController();
  const signal = AbortSignal.any([pieces.signal, stopping.signal]);
  // Where it cannot be made, nothing is read ahead.
  const isSecret = shelf.seal.state !== 'none';
  const aside = await SetAside.open(shelf.packFolder, aheadBytes, piecesAhead, isSecret).catch(
    () => undefined,
  );
  try {
    const rest = writer.missing[0]!;
    const listening = AbortSignal.any([pieces.signal, pieces.told.signal]);
    const told = await coarseDigests(access, name, rest, listening, pieces.told.take);
    const kept = { shelf, image: base.image, pieces: base.pieces, told };
    const segments = told && (await segmentsOf(access, name, kept, rest, signal));
    if (!segments) return false;
    const fetched = aside ? readDiffering(access, name, segments, aside, signal) : segments;
    // What the first one is waited for is waited for once.
    let took = () => 0;
    for await (const { piece, isSame, ahead } of readAhead<Fetched>(fetched, segmentsAhead)) {
      // The phone gave less than it was asked for.
      if (writer.missing[0]?.offset !== piece.offset) break;
      if (ahead) await writer.take(ahead.take(), onStored, true);
      else if (piece.bytes > coarseBytes && !isSame) return false;
      else if (!isSame) await read(piece);
      else
        for (const part of piecesOf(piece, sameAtOnceBytes)) {
          if (await takeKept(pieces, part.bytes)) {
            sameBytes += part.bytes;
            ms += took();
          } else await read(part);
          took = stopwatch();
          if (!isWholeSooner()) continue;
          run.log(
            `${name}: this cable is faster than what was kept can be read and digested. The rest is read.`,
          );
          return false;
        }
      took = stopwatch();
    }
    return true;
  } finally {
    // Nothing goes on that was begun ahead.
    stopping.abort();
    await aside?.close();
  }
}

/**
 * Reads what differs, what is known of it at a time by one command; what there is no room for is left to whoever takes it, as is the
 * rest of it all where most differs.
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
  const isWanted = ({ isSame, piece }: Segment) => hasRoom && !isSame && piece.bytes <= coarseBytes;
  const wantedIn = (batch: readonly Segment[]) =>
    batch.filter(isWanted).flatMap(({ piece }) => [...piecesOf(piece, aheadBytes)]);
  for await (const batch of inBatches(segments, (each) => rangesBytes(wantedIn(each)) >= batchBytes)) {
    const wanted = wantedIn(batch);
    const stream = new Exactly(
      wanted.length > 0 ? access.read(name, wanted, signal) : onePiece(memory.subarray(0, 0)),
    );
    try {
      for (const segment of batch) {
        if (segment.isSame || segment.piece.bytes > coarseBytes || wanted.length === 0) {
          yield segment;
          continue;
        }
        for (const piece of piecesOf(segment.piece, aheadBytes)) {
          const filled = await stream.fill(memory, piece.bytes);
          const ahead: Aside | undefined = hasRoom ? await aside.put(memory.subarray(0, filled)) : undefined;
          hasRoom &&= ahead !== undefined;
          yield { piece, isSame: false, ahead };
        }
      }
      await stream.requireEnd(rangesBytes(wanted));
    } finally {
      await stream.close();
    }
  }
}

/** A stream that is read in pieces of one's own. */
class Exactly {
  private readonly iterator: AsyncIterator<Uint8Array>;
  private rest: Uint8Array = new Uint8Array();

  constructor(stream: AsyncIterable<Uint8Array>) {
    this.iterator = stream[Symbol.asyncIterator]();
  }

  /** @returns how many bytes were read: fewer at the end of the stream */
  async fill(memory: Buffer, bytes: number): Promise<number> {
    let filled = 0;
    while (filled < bytes) {
      if (this.rest.length === 0 && !(await this.more())) break;
      const part = this.rest.subarray(0, bytes - filled);
      memory.set(part, filled);
      filled += part.length;
      this.rest = this.rest.subarray(part.length);
    }
    return filled;
  }

  /** @throws MoreThanAsked */
  async requireEnd(asked: number): Promise<void> {
    if (this.rest.length > 0 || (await this.more())) throw new MoreThanAsked(asked);
  }

  async close(): Promise<void> {
    await this.iterator.return?.();
  }

  private async more(): Promise<boolean> {
    for (;;) {
      const next = await this.iterator.next();
      if (next.done) return false;
      this.rest = next.value;
      if (this.rest.length > 0) return true;
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
