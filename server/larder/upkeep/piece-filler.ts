import { createHash } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { coarseBytes, fineBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import type { ImageRow, SetStatements } from '../../database/sets.ts';
import { digestBytes } from '../../shelf/packs/pack-format.ts';
import { readBlocks } from '../../shelf/image-reader.ts';
import type { PieceHex } from '../../shelf/piece-digests.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import type { Larder } from '../larder.ts';

interface PieceFillerParts {
  readonly shelf: Shelf;
  readonly sets: Pick<SetStatements, 'wholeImages'>;
  readonly larder: Pick<Larder, 'image' | 'pieces'>;
  /** A run is under way: it has the disk to itself. */
  readonly isBusy: () => boolean;
}

const fineInCoarse = coarseBytes / fineBytes;
/** After so long without a run there is time. */
const quietMs = 60_000;
/** Of one processor. */
const share = 0.25;
/** Written down so often; the rest is computed again after any end. */
const savedPieces = 32;

/**
 * Digests the pieces of each phone's newest images that nobody had time for while they were read: imaging the phone again, and putting
 * back, then need not read the shelf to know where to look.
 */
export class PieceFiller {
  private readonly ending = new AbortController();
  private running: Promise<void> = Promise.resolve();
  /** What could not be read; the scrubber deals with that. */
  private readonly faulty = new Set<string>();

  constructor(private readonly parts: PieceFillerParts) {}

  start(): void {
    this.running = this.run();
  }

  async stop(): Promise<void> {
    this.ending.abort();
    await this.running;
  }

  /** Everything that is unknown, without a rest. */
  async fillAll(): Promise<void> {
    for (let next = this.next(); next; next = this.next()) await this.fill(next, () => Promise.resolve());
  }

  private next(): ImageRow | undefined {
    const { sets, larder } = this.parts;
    const found = sets.wholeImages(coarseBytes).find(({ sha256, bytes }) => {
      if (this.faulty.has(sha256.toString('hex'))) return false;
      const known = larder.pieces.of({ sha256 });
      const countOf = (hex: PieceHex = []) => hex.filter((each) => each !== undefined).length;
      return (
        countOf(known?.hex) < Math.ceil(bytes / coarseBytes) ||
        countOf(known?.fine) < Math.ceil(bytes / fineBytes)
      );
    });
    return found && larder.image(found.setId, found.partition);
  }

  private async fill(image: ImageRow, rest: () => Promise<void>): Promise<void> {
    const { pieces } = this.parts.larder;
    const known = pieces.of(image);
    const by = known?.by ?? 'md5';
    const allOf = (hex: PieceHex | undefined, pieceBytes: number) =>
      Array.from({ length: Math.ceil(image.bytes / pieceBytes) }, (_, i) => hex?.[i]);
    const [hex, fine] = [allOf(known?.hex, coarseBytes), allOf(known?.fine, fineBytes)];
    let unsaved = 0;
    try {
      for (const [i, before] of hex.entries()) {
        const first = i * fineInCoarse;
        if (before !== undefined && !fine.slice(first, first + fineInCoarse).includes(undefined)) continue;
        const own = await this.digest(image, i, by);
        hex[i] ??= own.coarse;
        fine.splice(first, own.fine.length, ...own.fine);
        if (++unsaved === savedPieces) {
          pieces.remember(image.sha256, { by, hex, fine });
          unsaved = 0;
        }
        await rest();
      }
    } catch (error) {
      if (!this.ending.signal.aborted) this.faulty.add(image.sha256.toString('hex'));
      else throw error;
    } finally {
      if (unsaved > 0) pieces.remember(image.sha256, { by, hex, fine });
    }
  }

  /** A coarse piece and its fine ones, by one reading. */
  private async digest(
    image: ImageRow,
    index: number,
    by: 'sha256' | 'md5',
  ): Promise<{ readonly coarse: string; readonly fine: readonly string[] }> {
    const { shelf } = this.parts;
    const offset = index * coarseBytes;
    const range = { offset, bytes: Math.min(coarseBytes, image.bytes - offset) };
    if (range.bytes === coarseBytes && isZeros(image, range)) return zerosBy(by);
    const digests = shelf.workers.digestStream(by);
    const fine: string[] = [];
    try {
      for await (const block of readBlocks(shelf, image, range)) {
        const [these] = await Promise.all([
          shelf.workers.digestPieces(block, fineBytes, by),
          digests.update(block),
        ]);
        fine.push(...these);
        block.release();
      }
    } catch (error) {
      void digests.finish();
      throw error;
    }
    return { coarse: (await digests.finish()).toString('hex'), fine };
  }

  private async run(): Promise<void> {
    const { signal } = this.ending;
    const { isBusy } = this.parts;
    const wait = (ms: number) => pause(ms, undefined, { signal, ref: false });
    const quiet = async () => {
      do await wait(quietMs);
      while (isBusy());
    };
    let since = performance.now();
    const rest = async () => {
      signal.throwIfAborted();
      await wait((performance.now() - since) * (1 / share - 1));
      if (isBusy()) await quiet();
      since = performance.now();
    };
    try {
      for (;;) {
        await quiet();
        since = performance.now();
        const next =
          this.parts.shelf.absence === undefined && this.parts.shelf.seal.state !== 'locked'
            ? this.next()
            : undefined;
        if (next) await this.fill(next, rest);
      }
    } catch (error) {
      if (!signal.aborted) throw error;
    }
  }
}

function isZeros({ chunks, chunkBytes }: ImageRow, { offset, bytes }: ByteRange): boolean {
  const [from, end] = [offset, offset + bytes].map((at) => (at / chunkBytes) * digestBytes);
  return chunks.subarray(from, end).every((byte) => byte === 0);
}

/** Much of a flash has never been written to. */
function zerosBy(by: 'sha256' | 'md5'): { readonly coarse: string; readonly fine: readonly string[] } {
  const of = (bytes: number) => createHash(by).update(Buffer.alloc(bytes)).digest('hex');
  zeros[by] ??= { coarse: of(coarseBytes), fine: Array.from({ length: fineInCoarse }, () => of(fineBytes)) };
  return zeros[by];
}
const zeros: Partial<Record<'sha256' | 'md5', ReturnType<typeof zerosBy>>> = {};
