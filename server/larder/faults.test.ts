// A seeded campaign against the larder: disks that fill, take a part or lie, packs and manifests that are flipped, cut and removed,
// older catalogues, clocks that jump, many hands at once. After every step a reader that knows docs/shelf-format.md alone says which
// sets are whole. A small sample here; `npm run faults` goes on for ten minutes.
import {
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  truncateSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { expect, it } from 'vitest';
import { filler } from '../../standin/firmware/filler.ts';
import {
  flippedAt,
  fullFrom,
  shortAt,
  shortReads,
  shortWrites,
  unreadableAt,
  withReads,
  withWrites,
} from '../../testing/faults/disk-faults.ts';
import { LarderBench, type OpenLarder } from '../../testing/larder.ts';
import { numbersOf } from '../../testing/numbers.ts';
import { wholeSets } from '../../testing/shelf-checker.ts';
import { DamagedImage, Problem, ShelfFailure } from '../failures.ts';

const seconds = Number(process.env['KEEN_LARDER_FAULT_SECONDS'] ?? 0);
const firstSeed = Number(process.env['KEEN_LARDER_FAULT_SEED'] ?? 1);
const fewest = 60;
const stepsOfLarder = 20;
const day = 24 * 60 * 60 * 1000;

class Campaign {
  readonly bench = new LarderBench();
  private open!: OpenLarder;
  /** What was kept and not deleted, with its content's seed. */
  private readonly kept = new Map<string, { readonly seed: number; readonly bytes: number }>();
  /** Whether bytes on the shelf were damaged on purpose since everything was last whole. */
  private isDamaged = false;
  private older: Buffer | undefined;
  private labels = 0;
  steps = 0;

  constructor(private readonly number: (below: number) => number) {}

  async run(steps: number): Promise<void> {
    this.open = await this.bench.open();
    for (let i = 0; i < steps; i++) {
      await this.step();
      await this.judge();
      this.steps++;
    }
    await this.bench.close();
  }

  private get folder() {
    return this.bench.shelfPath;
  }

  private file(of: 'packs' | 'manifests', suffix: string): string | undefined {
    const names = readdirSync(join(this.folder, of)).filter((name) => name.endsWith(suffix));
    return names.length > 0 ? join(this.folder, of, names[this.number(names.length)]!) : undefined;
  }

  private async step(): Promise<void> {
    const acts: readonly (() => Promise<unknown>)[] = [
      () => this.keep(),
      () => this.keep(),
      () => this.keepAgain(),
      () => withWrites(shortWrites(1 + this.number(5000)), () => this.keep()),
      () => withWrites(shortAt(this.number(8)), () => this.keep()),
      () => withWrites(fullFrom(this.number(8)), () => this.keep()),
      () => withWrites(flippedAt(this.number(8)), () => this.keep()),
      () => this.edit(),
      () => this.binOne(),
      () => this.open.larder.bin.empty(this.number(2) * day, this.number(2) === 0),
      () => this.damage('packs', '.pack'),
      () => this.damage('manifests', '.json'),
      () => this.reopen(),
      () => this.putBackOlder(),
      () => this.jump(),
      () => withReads(shortReads(1 + this.number(9000)), () => this.judge()),
      () => withReads(unreadableAt(this.number(3)), () => this.readAny()),
      () => withReads(flippedAt(this.number(3)), () => this.readAny()),
    ];
    try {
      await acts[this.number(acts.length)]!();
    } catch (error) {
      const isFull = (error as NodeJS.ErrnoException).code === 'ENOSPC';
      if (!isFull && !(error instanceof Problem) && !(error instanceof ShelfFailure)) throw error;
    }
  }

  private async keep(seed = 1 + this.number(12)): Promise<void> {
    const bytes = 1000 + (seed % 4) * 290_000;
    const image = filler('program', seed, bytes);
    const id = await this.bench.keep(this.open, `set ${this.labels++}`, { boot: image });
    this.kept.set(id, { seed, bytes });
  }

  /** Everything that is kept is kept again: what was damaged is whole then, in every set that shares it. */
  private async keepAgain(): Promise<void> {
    for (const seed of new Set([...this.kept.values()].map((each) => each.seed))) await this.keep(seed);
    await this.open.larder.rebuild();
    this.isDamaged = false;
  }

  private anySet(): string | undefined {
    const ids = this.open.larder.list().map(({ id }) => id);
    return ids[this.number(Math.max(1, ids.length))];
  }

  private async edit(): Promise<void> {
    const id = this.anySet();
    if (!id) return;
    const { larder } = this.open;
    const [label, note] = [`renamed ${this.labels++}`, `note ${this.labels}`];
    await Promise.all([
      larder.change(id, { label }),
      larder.change(id, { note }),
      larder.change(id, { binned: false }),
    ]);
    expect(larder.detail(id)).toMatchObject({ label, note, binnedAt: undefined });
  }

  private async binOne(): Promise<void> {
    const id = this.anySet();
    if (id && this.number(3) === 0) await this.open.larder.change(id, { binned: true });
  }

  /** One file is flipped, cut or removed; nothing shows it on half of those that are flipped. */
  private async damage(of: 'packs' | 'manifests', suffix: string): Promise<void> {
    const path = this.file(of, suffix);
    if (!path) return;
    this.isDamaged = true;
    const how = this.number(3);
    const { atime, mtime, size } = statSync(path);
    if (how === 0) truncateSync(path, this.number(size));
    else if (how === 1) rmSync(path);
    else {
      const bytes = readFileSync(path);
      bytes[this.number(size)]! ^= 1 << this.number(8);
      writeFileSync(path, bytes);
      if (this.number(2) === 0) utimesSync(path, atime, mtime);
    }
    await Promise.resolve();
  }

  /** What a disk cannot read, or reads wrong, is not given as if it were right. */
  private async readAny(): Promise<void> {
    const id = this.anySet();
    const set = id && this.kept.get(id);
    if (!set) return;
    try {
      const read = await this.bench.read(this.open, id, 'boot');
      expect(read.equals(filler('program', set.seed, set.bytes))).toBe(true);
    } catch (error) {
      if (!(error instanceof DamagedImage) && (error as NodeJS.ErrnoException).code !== 'EIO') throw error;
    }
  }

  private async reopen(): Promise<void> {
    this.older = this.open.database.serialize();
    this.open = await this.bench.open(this.number(3) === 0 ? undefined : this.open.database);
  }

  private async putBackOlder(): Promise<void> {
    if (this.older) this.open = await this.bench.open(new Sqlite(this.older));
  }

  private async jump(): Promise<void> {
    this.bench.clock.wall += (this.number(3) - 1) * 365 * day;
    this.open.time.save();
    this.open = await this.bench.open(this.open.database);
  }

  /** What the larder gives is right or is refused; and as long as nothing was damaged on purpose, everything kept is whole. */
  private async judge(): Promise<void> {
    const whole = wholeSets(this.folder);
    const listed = new Set(this.open.larder.list().map(({ id }) => id));
    for (const [id, { seed, bytes }] of this.kept) {
      if (!listed.has(id) && !whole.has(id)) {
        // Deleted through the bin, or its manifest was damaged and the catalogue lost.
        this.kept.delete(id);
        continue;
      }
      if (!this.isDamaged) expect([id, whole.get(id)]).toEqual([id, true]);
      if (!listed.has(id)) continue;
      try {
        const read = await this.bench.read(this.open, id, 'boot');
        expect([id, read.equals(filler('program', seed, bytes))]).toEqual([id, true]);
      } catch (error) {
        if (!(error instanceof DamagedImage) || !this.isDamaged) throw error;
      }
    }
  }
}

it(
  'no set that was kept is ever given back wrong, or lost by the larder itself',
  async () => {
    const until = performance.now() + seconds * 1000;
    let steps = 0;
    for (let seed = firstSeed; steps < fewest || performance.now() < until; seed++) {
      const campaign = new Campaign(numbersOf(seed));
      await campaign.run(stepsOfLarder).catch((error: unknown) => {
        throw new Error(`seed ${seed}, step ${campaign.steps}: ${(error as Error).message}`, {
          cause: error,
        });
      });
      steps += campaign.steps;
    }
    process.stdout.write(`${steps} steps\n`);
  },
  20 * 60_000,
);
