import Sqlite from 'better-sqlite3';
import { expect, it } from 'vitest';
import { mostHeldMs, Turns } from '../../testing/turns.ts';
import { readKeyUids, readUntrustedRecords } from './untrusted.ts';

/** A database made by SQLite itself, as bytes. */
function databaseOf(sql: string): Buffer {
  const db = new Sqlite(':memory:');
  db.exec(sql);
  const bytes = db.serialize();
  db.close();
  return bytes;
}

const endless = 'WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n) SELECT';

it('ends a database that has no end, says so, and holds nobody else up', async () => {
  const messages = databaseOf(
    `CREATE VIEW sms AS ${endless} x AS _id, x AS address, x AS date, 1 AS type, x AS body FROM n`,
  );
  const turns = new Turns();
  const read = await readUntrustedRecords('messages', new Map([['/mmssms.db', messages]]), 0, 1500);
  expect(read).toMatchObject({ count: undefined, readable: undefined });
  expect(read.fault).toMatch(/does not come to an end/);
  // Itself it takes a second and a half.
  expect(turns.take()).toBeLessThan(mostHeldMs);
  turns.stop();
});

it('reads the next one as ever', async () => {
  const sms = databaseOf(
    "CREATE TABLE sms (_id, address, date, type, body); INSERT INTO sms VALUES (1, '07700 900111', 0, 1, 'tide at six')",
  );
  const read = await readUntrustedRecords('messages', new Map([['/mmssms.db', sms]]), 0);
  expect(read.count).toBe(1);
  expect(read.readable?.text).toContain('tide at six');
  const keys = databaseOf(
    'CREATE TABLE keyentry (namespace, domain); INSERT INTO keyentry VALUES (10061, 0), (1000, 1)',
  );
  expect(await readKeyUids(keys)).toEqual([10_061]);
  expect(await readKeyUids(Buffer.from('no database'))).toEqual([]);
});
