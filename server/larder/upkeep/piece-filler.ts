import { setTimeout as pause } from 'node:timers/promises';
import { coarseBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import type { ImageRow, SetStatements } from '../../database/sets.ts';
import { readBlocks } from '../../shelf/image-reader.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import type { Larder } from '../larder.ts';

interface PieceFillerParts {
  readonly shelf: Shelf;
  readonly sets: Pick<SetStatements, 'wholeImages'>;
  readonly larder: Pick<Larder, 'image' | 'pieces'>;
  /** A run is under way: it has the disk to itself. */
  readonly isBusy: () => boolean;
}

/** After so long without a run there is time. */
const quietMs = 60_000;
/** Of one processor. */
const share = 0.25;
/** Written down so often; the rest is computed again after any end. */
const savedPieces = 32;

/**
 * Digests the coarse pieces of each phone's newest images that nobody had time for while they were read, as over a fast cable:
 * imaging the phone again then need not read the shelf to know where to look.
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
      return !known || known.hex.filter((each) => each !== undefined).length < Math.ceil(bytes / coarseBytes);
    });
    return found && larder.image(found.setId, found.partition);
  }

  private async fill(image: ImageRow, rest: () => Promise<void>): Promise<void> {
    const { pieces } = this.parts.larder;
    const known = pieces.of(image);
    const by = known?.by ?? 'md5';
    const hex = Array.from({ length: Math.ceil(image.bytes / coarseBytes) }, (_, i) => known?.hex[i]);
    let unsaved = 0;
    try {
      for (const [i, before] of hex.entries()) {
        if (before !== undefined) continue;
        hex[i] = await this.digest(image, i, by);
        if (++unsaved === savedPieces) {
          pieces.remember(image.sha256, { by, hex });
          unsaved = 0;
        }
        await rest();
      }
    } catch (error) {
      if (!this.ending.signal.aborted) this.faulty.add(image.sha256.toString('hex'));
      else throw error;
    } finally {
      if (unsaved > 0) pieces.remember(image.sha256, { by, hex });
    }
  }

  private async digest(image: ImageRow, index: number, by: 'sha256' | 'md5'): Promise<string> {
    const { shelf } = this.parts;
    const offset = index * coarseBytes;
    const range = { offset, bytes: Math.min(coarseBytes, image.bytes - offset) };
    const digests = shelf.workers.digestStream(by);
    try {
      for await (const block of readBlocks(shelf, image, range)) {
        await digests.update(block);
        block.release();
      }
    } catch (error) {
      void digests.finish();
      throw error;
    }
    return (await digests.finish()).toString('hex');
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
