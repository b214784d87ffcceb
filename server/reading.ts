import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { chunkStatements } from './database/chunks.ts';
import { copyStatements } from './database/copies.ts';
import { phoneStatements } from './database/phones.ts';
import { openForReadingOnly } from './database/open.ts';
import { setStatements } from './database/sets.ts';
import { shelfStatements } from './database/shelves.ts';
import { unfinishedStatements } from './database/unfinished.ts';
import { Feed } from './events/feed.ts';
import { AppCopies, RecordCopies } from './larder/copies.ts';
import { Larder } from './larder/larder.ts';
import { Shelf } from './shelf/shelf.ts';
import { ShelfWorkers } from './shelf/threads/workers.ts';

/**
 * Opens a larder beside a running application, changing nothing.
 * @throws Error when there is none
 */
export function openForReading(home: string): { larder: Larder; close(): Promise<void> } {
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
  const larder = new Larder({
    ...forCopies,
    sets: setStatements(db),
    chunks,
    unfinished: unfinishedStatements(db),
    copies: new AppCopies(forCopies),
    records: new RecordCopies(forCopies),
  });
  return {
    larder,
    async close() {
      shelf.close();
      await workers.close();
      db.close();
    },
  };
}
