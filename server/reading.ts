import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { chunkStatements } from './database/chunks.ts';
import { jobStatements } from './database/jobs/jobs.ts';
import { copyStatements } from './database/copies.ts';
import { nameStatements } from './database/names/names.ts';
import { phoneStatements } from './database/phones.ts';
import { aloneStatements } from './database/offsite/offsite.ts';
import { openForReadingOnly } from './database/open.ts';
import { setStatements } from './database/sets.ts';
import { shelfStatements } from './database/shelves.ts';
import { unfinishedStatements } from './database/unfinished.ts';
import { Feed } from './events/feed.ts';
import { AppCopies, RecordCopies } from './larder/copies.ts';
import { keepRuleStatements } from './database/upkeep/keep-rules.ts';
import { Order } from './larder/upkeep/order.ts';
import { Finding } from './larder/finding/finding.ts';
import { Larder } from './larder/larder.ts';
import { Shelf } from './shelf/shelf.ts';
import { ShelfWorkers } from './shelf/threads/workers.ts';

/**
 * Opens a larder beside a running application, changing nothing.
 * @throws Error when there is none
 */
export interface OpenForReading {
  readonly larder: Larder;
  readonly order: Order;
  readonly finding: Finding;
  close(): Promise<void>;
}

export function openForReading(home: string): OpenForReading {
  const path = join(home, 'catalogue.sqlite');
  if (!existsSync(path)) throw new Error(`There is no larder in ${home}. Name its folder with --home.`);
  const db = openForReadingOnly(path);
  const chunks = chunkStatements(db);
  const workers = new ShelfWorkers();
  const now = Date.now;
  const time = { nowMs: 0 };
  const catalogue = { chunks, identity: shelfStatements(db), now, nowMs: () => time.nowMs };
  const shelf = Shelf.attach(join(home, 'shelf'), 'Bench disk', catalogue, workers);
  const [phones, feed] = [phoneStatements(db), new Feed(0)];
  const forCopies = { shelf, statements: copyStatements(db), phones, feed, now, time };
  const [sets, unfinished, copies] = [setStatements(db), unfinishedStatements(db), new AppCopies(forCopies)];
  const records = new RecordCopies(forCopies);
  const larder = new Larder({ ...forCopies, sets, chunks, unfinished, copies, records });
  const rules = keepRuleStatements(db);
  const names = nameStatements(join(home, 'names.sqlite'), true);
  return {
    larder,
    order: new Order({ larder, shelf, sets, unfinished, copies, rules, jobs: jobStatements(db), now }),
    finding: new Finding({
      larder,
      names,
      sets,
      alone: aloneStatements(db),
      phones,
      copies: forCopies.statements,
    }),
    async close() {
      shelf.close();
      await workers.close();
      names.close();
      db.close();
    },
  };
}
