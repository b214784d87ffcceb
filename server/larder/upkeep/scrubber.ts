import { setTimeout as pause } from 'node:timers/promises';
import type { ScrubView } from '@keen-larder/contract/order.ts';
import type { ChunkStatements } from '../../database/chunks.ts';
import type { CopyStatements } from '../../database/copies.ts';
import type { SetStatements } from '../../database/sets.ts';
import { digestsOf } from '../../shelf/manifest.ts';
import type { Shelf } from '../../shelf/shelf.ts';

const day = 24 * 60 * 60 * 1000;
/** Every stored chunk is read again within so many days. */
export const usualScrubDays = 30;
/** Of one processor. */
const share = 0.05;
const restMs = 10 * 60_000;
const busyMs = 10_000;

interface ScrubberParts {
  readonly shelf: Shelf;
  readonly chunks: ChunkStatements;
  readonly sets: SetStatements;
  readonly copies: CopyStatements;
  readonly now: () => number;
  /** A run is under way: it has the disk to itself. */
  readonly isBusy: () => boolean;
  /** Told of sets and copies that were found damaged. */
  readonly onDamage: (names: readonly string[]) => void;
  readonly days?: number;
}

/**
 * Reads what is stored again, the packs first that were not read for longest, one after the other with pauses between: what is
 * damaged is to be found while the phone is still there to be imaged again.
 */
export class Scrubber {
  private readonly ending = new AbortController();
  private running: Promise<void> = Promise.resolve();
  private readonly days: number;

  constructor(private readonly parts: ScrubberParts) {
    this.days = parts.days ?? usualScrubDays;
  }

  start(): void {
    this.running = this.run();
  }

  /** Resolves when the pack under way has been read. */
  async stop(): Promise<void> {
    this.ending.abort();
    await this.running;
  }

  view(): ScrubView {
    const packs = this.parts.chunks.packs();
    const read = packs.flatMap(({ checkedAt }) => (checkedAt === null ? [] : [checkedAt]));
    const due = packs.filter(({ checkedAt }) => (checkedAt ?? -Infinity) < this.dueBefore);
    return {
      days: this.days,
      oldestAt: read.length > 0 ? Math.min(...read) : undefined,
      dueBytes: due.reduce((sum, { bytes }) => sum + bytes, 0),
      damagedChunks: this.parts.chunks.damaged().length,
    };
  }

  /**
   * Reads the pack that was not read for longest, where it is due; what it finds damaged is noted with every set and copy that
   * needs it.
   * @returns how many bytes were read; undefined where nothing is due
   */
  async step(): Promise<number | undefined> {
    const { shelf, chunks } = this.parts;
    const known = new Set(chunks.damaged().map(asKey));
    const bytes = await shelf.readOldest(this.dueBefore);
    if (bytes === undefined) return undefined;
    const found = new Set(
      chunks
        .damaged()
        .map(asKey)
        .filter((key) => !known.has(key)),
    );
    if (found.size > 0) this.note(found);
    return bytes;
  }

  private get dueBefore(): number {
    return this.parts.now() - this.days * day;
  }

  private async run(): Promise<void> {
    const { shelf, isBusy } = this.parts;
    const rest = (ms: number) => pause(ms, undefined, { signal: this.ending.signal, ref: false });
    try {
      for (;;) {
        if (isBusy() || shelf.absence !== undefined) {
          await rest(busyMs);
          continue;
        }
        const since = performance.now();
        // A disk that fails now may answer later.
        const bytes = await this.step().catch(() => undefined);
        await rest(bytes === undefined ? restMs : (performance.now() - since) * (1 / share - 1));
      }
    } catch (error) {
      if (!this.ending.signal.aborted) throw error;
    }
  }

  private note(damaged: ReadonlySet<string>): void {
    const { sets, copies, onDamage } = this.parts;
    const isHurt = (chunks: Buffer) =>
      digestsOf(chunks).some((digest) => digest && damaged.has(asKey(digest)));
    const words = 'a part of it was found damaged when the shelf was read again';
    const names: string[] = [];
    for (const { id, label } of sets.all()) {
      const hurt = sets.heads(id).filter(({ partition }) => isHurt(sets.image(id, partition)!.chunks));
      for (const { partition } of hurt) sets.damaged(id, partition, `${partition}: ${words}`);
      if (hurt.length > 0) names.push(`“${label}”`);
    }
    for (const { copyId, name } of copies.heads()) {
      if (!isHurt(copies.part(copyId, name)!.chunks)) continue;
      copies.damaged(copyId, name, words);
      names.push(`a copy (${name})`);
    }
    onDamage(names);
  }
}

const asKey = (digest: Buffer): string => digest.toString('hex');
