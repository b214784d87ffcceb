import { existsSync } from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { chunkStatements } from './database/chunks.ts';
import { copyStatements } from './database/copies.ts';
import { phoneStatements } from './database/phones.ts';
import { setStatements } from './database/sets.ts';
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
  const db = new Sqlite(path, { readonly: true });
  const chunks = chunkStatements(db);
  const workers = new ShelfWorkers();
  const shelf = Shelf.attach(join(home, 'shelf'), 'Bench disk', chunks, workers);
  const [phones, feed] = [phoneStatements(db), new Feed(0)];
  const kept = copyStatements(db);
  const copies = new AppCopies(shelf, kept, phones, feed, Date.now);
  const records = new RecordCopies(shelf, kept, phones, feed, Date.now);
  const larder = new Larder(
    shelf,
    setStatements(db),
    phones,
    chunks,
    unfinishedStatements(db),
    copies,
    records,
    feed,
    Date.now,
  );
  return {
    larder,
    async close() {
      await shelf.close();
      await workers.close();
      db.close();
    },
  };
}
