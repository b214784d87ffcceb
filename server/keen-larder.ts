import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Logger } from 'pino';
import { Bench } from './bench/bench.ts';
import { chunkStatements } from './database/chunks.ts';
import { digestStatements } from './database/digests.ts';
import { openDatabase } from './database/open.ts';
import { phoneStatements } from './database/phones.ts';
import { runStatements } from './database/runs.ts';
import { setStatements } from './database/sets.ts';
import { Feed } from './feed.ts';
import { binMs, Larder } from './larder/larder.ts';
import { lockHome } from './lock.ts';
import type { RunContext } from './runs/context.ts';
import { RunEngine } from './runs/engine.ts';
import { Sheets } from './runs/sheets.ts';
import { Shelf } from './shelf/shelf.ts';
import { ShelfWorkers } from './shelf/workers.ts';

export interface Options {
  /** Folder of the catalogue, the shelf, logs and exports. */
  readonly home: string;
  /** `host:port` of adb daemons to follow. */
  readonly addresses: readonly string[];
  readonly log: Logger;
  readonly pollMs?: number;
  readonly overdueMs?: number;
  readonly startLimitMs?: number;
  readonly nicknames?: Readonly<Record<string, string>>;
  /** Milliseconds since 1970; the demo sets it back while it makes its history. */
  readonly now?: () => number;
}

const minute = 60_000;

/** The whole application without its HTTP interface. */
export interface KeenLarder extends RunContext {
  readonly feed: Feed;
  close(): Promise<void>;
}

export async function openKeenLarder(options: Options): Promise<KeenLarder> {
  const { home, log } = options;
  const now = options.now ?? Date.now;
  mkdirSync(home, { recursive: true });
  const unlock = lockHome(home);
  const db = openDatabase(join(home, 'catalogue.sqlite'));
  const phones = phoneStatements(db);
  const sets = setStatements(db);
  const chunks = chunkStatements(db);
  const runs = runStatements(db);
  const digests = digestStatements(db);
  const feed = new Feed(Date.now());

  const workers = new ShelfWorkers();
  const { shelf, findings } = await Shelf.open(join(home, 'shelf'), 'Bench disk', chunks, workers);
  const larder = new Larder(shelf, sets, phones, chunks, feed, now);
  findings.push(...(await larder.reconcile()));
  for (const { level, text } of findings) log[level === 'warning' ? 'warn' : 'info'](text);

  const bench = new Bench(
    {
      addresses: options.addresses,
      pollMs: options.pollMs ?? 1000,
      overdueMs: options.overdueMs ?? 2 * minute,
      nicknames: options.nicknames ?? {},
      now,
    },
    phones,
    sets,
    digests,
    feed,
  );
  const engine = new RunEngine(
    runs,
    feed,
    now,
    (serial) => phones.one(serial)?.nickname ?? serial,
    (serial) => bench.announce(serial),
  );
  bench.runOf = (serial) => engine.runOf(serial);
  for (const run of engine.closeInterrupted()) log.warn({ run: run.id, serial: run.serial }, run.outcome);
  await larder.emptyBin(now() - binMs);
  await workers.warmUp();
  bench.start();

  return {
    bench,
    larder,
    engine,
    sheets: new Sheets(bench, larder, runs, (at) => -new Date(at).getTimezoneOffset()),
    digests,
    feed,
    now,
    startLimitMs: options.startLimitMs ?? 25 * minute,
    exportFolder: join(home, 'exports'),
    async close() {
      await engine.stop();
      await bench.stop();
      await shelf.close();
      await workers.close();
      db.close();
      unlock();
    },
  };
}
