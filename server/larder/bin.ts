import { binDays } from '@keen-larder/core/larder/bin-time.ts';
import { digestsOf } from '../shelf/manifest.ts';
import type { Shelf } from '../shelf/shelf.ts';
import type { LarderTime } from './larder-time.ts';
import { Problem } from '../failures.ts';

const day = 24 * 60 * 60 * 1000;
/** How long a set stays in the bin before it is gone. */
export const binMs = binDays * day;
/** How long freed packs lie aside before they are removed. */
const freedMs = 3 * day;

/** Whatever needs chunks: the lists of them. */
interface ChunkListsOf {
  chunkLists(): Iterable<{ readonly chunks: Buffer }>;
}

/** What may lie in the bin. */
interface Binned {
  /** Removes what has been there since before, in the larder's own time; resolves to how many. */
  removeBinned(beforeMs: number): Promise<number>;
}

/** What is to go, and what must not. */
export class Bin {
  /** What else may keep a set or a copy from being removed: why, in a sentence. */
  otherUse: (id: string) => string | undefined = () => undefined;
  /** Ids of what is being read, with how many read it. */
  private readonly held = new Map<string, number>();
  /** Runs that are storing chunks which no set names yet. */
  private writers = 0;
  private collecting: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly parts: {
      readonly shelf: Shelf;
      readonly time: Pick<LarderTime, 'nowMs'>;
      readonly sets: ChunkListsOf;
      readonly unfinished: ChunkListsOf;
      readonly copies: ChunkListsOf;
    },
    private readonly binned: readonly Binned[],
  ) {}

  /** Does work that stores chunks; meanwhile nothing is collected. */
  async whileKept<T>(work: () => Promise<T>): Promise<T> {
    this.writers++;
    try {
      await this.collecting;
      return await work();
    } finally {
      this.writers--;
    }
  }

  /**
   * Does work beside which nothing is stored and nothing is collected.
   * @throws Problem 409 while a run is storing
   */
  alone<T>(work: () => Promise<T>): Promise<T> {
    if (this.writers > 0) throw new Problem(409, 'A run is storing images now. Do this when it has ended.');
    const done = this.collecting.then(work);
    this.collecting = done.catch(() => undefined);
    return done;
  }

  /** Keeps sets and copies from being removed while somebody reads them. Returns what lets them go. */
  hold(ids: readonly string[]): () => void {
    const count = (by: number) => {
      for (const id of ids) this.held.set(id, (this.held.get(id) ?? 0) + by);
    };
    count(1);
    return () => count(-1);
  }

  /** Does what reads a set or a copy, which is not removed meanwhile. */
  whileRead<T>(id: string, work: () => Promise<T>): Promise<T> {
    return work().finally(this.hold([id]));
  }

  /** Why a set or a copy may not be removed now, in a sentence. */
  whyInUse(id: string): string | undefined {
    if (this.held.get(id)) return 'It is being read now. Wait until that has ended.';
    return this.otherUse(id);
  }

  /**
   * Deletes the sets and copies that have been in the bin for so long, and frees their space. What a run works with, and
   * what a phone stands half written by, stays.
   * @param atOnce also removes what lies aside, instead of keeping it for some days
   * @throws Problem 409 while a run is storing images, or where nothing may be freed
   */
  async empty(forMs: number, atOnce = false): Promise<{ removed: number; freedBytes: number }> {
    const { shelf } = this.parts;
    shelf.requireThere();
    if (shelf.doubts.size > 0)
      throw new Problem(
        409,
        `Nothing is deleted: ${[...shelf.doubts].join(' ')} Rebuild the catalogue first.`,
      );
    return this.alone(() => this.remove(forMs, atOnce));
  }

  private async remove(forMs: number, atOnce: boolean): Promise<{ removed: number; freedBytes: number }> {
    const { shelf, time } = this.parts;
    await shelf.advance();
    let removed = 0;
    for (const each of this.binned) removed += await each.removeBinned(time.nowMs - forMs);
    const { freedBytes } = await this.collect();
    // What was freed just now is the newest of it.
    await shelf.freed.removeOlder(atOnce ? Infinity : time.nowMs - freedMs);
    return { removed, freedBytes };
  }

  /** Leaves no byte on the shelf that nothing needs, also none beside what is needed. @throws Problem 409 while a run is storing */
  shred(): Promise<{ freedBytes: number }> {
    return this.alone(async () => {
      const { shelf } = this.parts;
      await shelf.advance();
      const done = await this.collect(true);
      await shelf.freed.removeOlder(Infinity);
      return done;
    });
  }

  private collect(isThorough = false): Promise<{ freedBytes: number }> {
    const { shelf, sets, unfinished, copies } = this.parts;
    const kept = new Set<string>();
    for (const each of [sets, unfinished, copies]) {
      for (const { chunks } of each.chunkLists()) {
        for (const digest of digestsOf(chunks)) if (digest) kept.add(digest.toString('latin1'));
      }
    }
    return shelf.collect((digest) => kept.has(digest.toString('latin1')), isThorough);
  }
}
