// Two benches that need and remove the same pack: every order in which their requests can reach the bucket is tried, and no bench ever
// relies on a pack that is gone.
import { afterAll, expect, it } from 'vitest';
import { openDatabase } from '../database/open.ts';
import { offsiteStatements } from '../database/offsite/offsite.ts';
import { makeSeal, type OpenSeal } from '../sealing/seal-key.ts';
import { chunkDigest } from '../shelf/threads/digest.ts';
import { isLong } from '../../testing/effort.ts';
import { MemoryBucket } from '../../testing/offsite/memory-bucket.ts';
import { readState } from './bucket-state.ts';
import { KeepingInStep, tombstoneMs } from './keeping-in-step.ts';
import { OffsitePacks } from './offsite-packs.ts';
import { SealedBucket } from './sealed-bucket.ts';

const plain = Buffer.alloc(5000, 'a chunk that both have');
const digest = chunkDigest(plain);
let seal: OpenSeal;
/** All of them with `npm run kills`. */
const mostOrders = isLong ? Infinity : 250;
const databases = [openDatabase(':memory:'), openDatabase(':memory:')];
afterAll(() => {
  for (const db of databases) db.close();
});

/** A bench without a larder: one chunk, which it needs or not. */
function benchOn(bucket: MemoryBucket, at: 0 | 1, now: () => number) {
  const name = ['first', 'second'][at]!;
  const rows = offsiteStatements(databases[at]!, 'bucket');
  rows.clear();
  const sealed = new SealedBucket(bucket, seal);
  const stored = {
    digest,
    packId: 1,
    offset: 0,
    storedBytes: plain.length,
    plainBytes: plain.length,
    codec: 0,
  };
  const shelf = {
    find: () => ({ ...stored, damage: null }),
    readChunk: () => Promise.resolve({ ...stored, stored: plain }),
    reportDamage: () => undefined,
  };
  const packs = new OffsitePacks({ sealed, rows, bench: name, shelf });
  const read = () => Promise.resolve({ chunks: [digest] });
  const keeping = new KeepingInStep({ sealed, packs, rows, bench: name, now, read });
  const thing = {
    kind: 'sets' as const,
    id: `set-of-${name}`,
    name: 'a set',
    stamp: () => Promise.resolve('as it was'),
    manifest: () => Promise.resolve('{"it":"needs the chunk"}'),
    chunks: () => [digest],
  };
  return {
    rows,
    /** Learns what is there. */
    look: () => keeping.look([thing]),
    /** Sends what it needs, by what it knows. */
    send: () => keeping.send([thing]),
    /** It needs nothing any more. */
    tidy: () => keeping.tidy([]),
  };
}

/** Lets work go on request by request, in an order that is given as far as it goes, and says what was to choose from. */
async function inOrder(
  bucket: MemoryBucket,
  works: readonly (() => Promise<unknown>)[],
  order: readonly number[],
): Promise<number[]> {
  const waiting = new Map<number, () => void>();
  const done = new Set<number>();
  let current = -1;
  const owners: number[] = [];
  bucket.before = () => {
    const mine = current;
    owners.push(mine);
    return new Promise((resolve) => waiting.set(mine, resolve));
  };
  const settle = () => new Promise((resolve) => setImmediate(resolve));
  for (const [i, work] of works.entries()) {
    current = i;
    void work().finally(() => done.add(i));
    await settle();
  }
  const taken: number[] = [];
  while (done.size < works.length) {
    const ready = [...waiting.keys()].sort();
    const wished = order[taken.length];
    const next = wished !== undefined && waiting.has(wished) ? wished : ready[0]!;
    taken.push(next);
    const go = waiting.get(next)!;
    waiting.delete(next);
    current = next;
    go();
    while (!waiting.has(next) && !done.has(next)) await settle();
  }
  bucket.before = () => undefined;
  return taken;
}

/** A bucket with one pack, which the first has sent; on each call anew. */
async function withPack(now: () => number) {
  const bucket = new MemoryBucket();
  const first = benchOn(bucket, 0, now);
  await first.look();
  await first.send();
  return { bucket, first };
}

/** Tries a race in every order; `begin` sets it up, and gives what races and what follows. */
async function inEveryOrder(
  begin: () => Promise<{
    readonly bucket: MemoryBucket;
    readonly second: ReturnType<typeof benchOn>;
    readonly races: readonly (() => Promise<unknown>)[];
    readonly afterwards: () => Promise<void>;
  }>,
): Promise<{ readonly orders: number; readonly sentAnew: number }> {
  let [orders, sentAnew] = [0, 0];
  const open: (readonly number[])[] = [[]];
  for (let order = open.pop(); order && orders < mostOrders; order = open.pop()) {
    const { bucket, second, races, afterwards } = await begin();
    const [before] = (await readState(bucket)).packs.keys();
    const taken = await inOrder(bucket, races, order);
    await afterwards();
    const state = await readState(bucket);
    const which = taken.join('');
    expect([which, state.kept.filter(({ bench }) => bench === 'second').length]).toEqual([which, 1]);
    // What the second relies on is there, and nobody removes it.
    const place = second.rows.find(digest)!;
    const { name } = second.rows.packs().find(({ id }) => id === place.packId)!;
    expect([which, state.packs.has(name), state.indexes.has(name)]).toEqual([which, true, true]);
    expect([which, state.claims.get(name)?.has('second')]).toEqual([which, true]);
    expect([which, state.tombstones.has(name)]).toEqual([which, false]);
    orders++;
    if (name !== before) sentAnew++;
    // Every order that begins like this one and then turns.
    for (let at = order.length; at < taken.length; at++) {
      const other = 1 - taken[at]!;
      if (taken.slice(at).includes(other)) open.push([...taken.slice(0, at), other]);
    }
  }
  return { orders, sentAnew };
}

it('a pack that is about to go, and somebody who needs it', { timeout: 240_000 }, async () => {
  seal = await makeSeal('only for this test', { N: 1024, r: 8, p: 1 });
  const found = await inEveryOrder(async () => {
    let time = 0;
    const { bucket, first } = await withPack(() => time);
    const second = benchOn(bucket, 1, () => time);
    await second.look();
    // The first needs it no more; a day later it is about to remove it.
    await first.tidy();
    time = tombstoneMs + 1;
    return { bucket, second, races: [first.tidy, second.send], afterwards: () => Promise.resolve() };
  });
  process.stdout.write(`${found.orders} orders, in ${found.sentAnew} the chunk was sent anew\n`);
  expect(found.orders).toBeGreaterThan(isLong ? 1000 : 200);
  expect(found.sentAnew).toBeGreaterThan(0);
  expect(found.sentAnew).toBeLessThanOrEqual(found.orders);
});

it('a pack that one begins to remove, and somebody who needs it', { timeout: 240_000 }, async () => {
  seal = await makeSeal('only for this test', { N: 1024, r: 8, p: 1 });
  const found = await inEveryOrder(async () => {
    let time = 0;
    const { bucket, first } = await withPack(() => time);
    const second = benchOn(bucket, 1, () => time);
    await second.look();
    const later = async () => {
      for (let i = 0; i < 2; i++) {
        time += tombstoneMs + 1;
        await first.tidy();
      }
    };
    return { bucket, second, races: [first.tidy, second.send], afterwards: later };
  });
  process.stdout.write(`${found.orders} orders, in ${found.sentAnew} the chunk was sent anew\n`);
  if (isLong) expect(found.sentAnew).toBeGreaterThan(0);
  expect(found.sentAnew).toBeLessThan(found.orders);
});
