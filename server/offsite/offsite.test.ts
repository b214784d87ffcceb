// The copy in a bucket: what is said to be off-site can be restored from there alone, whatever the bucket does.
import { createCipheriv, createHash } from 'node:crypto';
import { closeSync, openSync, readdirSync, readFileSync, statSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeEach, describe, expect, it } from 'vitest';
import { faultSeeds, isLong } from '../../testing/effort.ts';
import { numbersOf } from '../../testing/numbers.ts';
import { MemoryBucket } from '../../testing/offsite/memory-bucket.ts';
import { OffsiteBench, passphrase } from '../../testing/offsite/offsite-bench.ts';
import { chunkStatements } from '../database/chunks.ts';
import { copyStatements } from '../database/copies.ts';
import { setStatements } from '../database/sets.ts';
import { scrubFindingStatements } from '../database/upkeep/scrub-findings.ts';
import { BucketFailure } from '../failures.ts';
import { Scrubber } from '../larder/upkeep/scrubber.ts';
import { ShelfWorkers } from '../shelf/threads/workers.ts';
import { tombstoneMs } from './keeping-in-step.ts';

const workers = new ShelfWorkers();
afterAll(() => workers.close());

let bucket: MemoryBucket;
let benches: OffsiteBench[];
beforeEach(() => {
  bucket = new MemoryBucket();
  benches = [];
});
afterEach(async () => {
  for (const bench of benches) await bench.close();
});

async function another(name = 'Front bench'): Promise<OffsiteBench> {
  const bench = new OffsiteBench(bucket, name, workers);
  benches.push(bench);
  return bench.begin();
}

const noise = (seed: string, bytes: number) =>
  createCipheriv('aes-128-ctr', createHash('md5').update(seed).digest(), Buffer.alloc(16)).update(
    Buffer.alloc(bytes),
  );
const keep = (bench: OffsiteBench, label: string, images: Record<string, Uint8Array>) =>
  bench.bench.keep(bench.open, label, images);

/** On an empty machine: what is restored from the bucket alone. */
async function restored(secret = passphrase): Promise<OffsiteBench> {
  const bench = await another('Restored');
  await bench.offsite.takeOver({ ...bench.request, passphrase: secret });
  await bench.fetchAll();
  return bench;
}

describe('a larder', () => {
  it('is brought back on an empty machine from the bucket and its passphrase alone', async () => {
    const bench = await another();
    const { recoveryKey, view } = await bench.setUp();
    expect(view).toMatchObject({ state: 'open', keptCount: 0, offsiteCount: 0 });
    const system = noise('system', 3 << 20);
    const changed = Buffer.from(system);
    changed.fill(7, 1 << 20, (1 << 20) + 5000);
    const first = await keep(bench, 'First', { boot: noise('boot', 700_000), system });
    await keep(bench, 'Second', { system: changed, misc: Buffer.alloc(1 << 20) });
    await bench.open.larder.change(first, { note: 'Before the screen was changed', pinned: true });
    const { sent, sentBytes, left } = await bench.sync();
    expect({ sent, left }).toEqual({ sent: 2, left: [] });
    // What both have is sent once.
    expect(sentBytes).toBeLessThan(700_000 + (3 << 20) + (1 << 20));
    expect(bench.offsite.view()).toMatchObject({ keptCount: 2, offsiteCount: 2, fault: undefined });
    const kept = await bench.contents();

    for (const secret of [passphrase, recoveryKey!]) {
      const other = await restored(secret);
      const found = await other.contents();
      expect([...found.keys()].sort()).toEqual([...kept.keys()].sort());
      for (const [name, bytes] of kept) expect([name, found.get(name)!.equals(bytes)]).toEqual([name, true]);
      expect(other.open.larder.detail(first)).toMatchObject({
        note: 'Before the screen was changed',
        pinned: true,
      });
      // It goes on in the place of the one that was lost, and sends nothing again.
      const asked = bucket.count('put', 'packs/');
      await other.sync();
      expect(bucket.count('put', 'packs/')).toBe(asked);
      expect(other.offsite.view()).toMatchObject({ keptCount: 2, offsiteCount: 2, benchName: 'Front bench' });
    }
    const stranger = await another();
    await expect(
      stranger.offsite.takeOver({ ...stranger.request, passphrase: 'plums in the light attic' }),
    ).rejects.toThrow(/does not open it/);
  });

  it('shows nothing of itself in the bucket', async () => {
    const bench = await another();
    await bench.setUp();
    await keep(bench, 'Ringing hut before the update', {
      boot: Buffer.from('ro.build.id=TW3\n'.repeat(9000)),
    });
    await bench.sync();
    const [chunk] = bench.open.larder.chunkListsByName();
    const secrets = [
      'Ringing',
      'TW3K-10482',
      'ro.build',
      'Front bench',
      'boot',
      chunk!.chunks.subarray(0, 32),
    ];
    for (const [name, bytes] of bucket.objects)
      for (const secret of secrets) {
        expect([name, bytes.includes(secret)]).toEqual([name, false]);
        if (typeof secret === 'string') expect(name).not.toContain(secret);
      }
  });

  it('is locked after a start, and its keys are for the owner of the home folder alone', async () => {
    const bench = await another();
    await bench.setUp();
    bench.use();
    expect(bench.offsite.view()).toMatchObject({ state: 'locked', benchName: 'Front bench' });
    await expect(bench.offsite.missing()).rejects.toThrow(/locked/);
    await expect(bench.offsite.unlock('plums')).rejects.toThrow(/does not open it/);
    expect(await bench.offsite.unlock(passphrase)).toMatchObject({ state: 'open' });
    const path = join(bench.home, 'offsite.json');
    expect(statSync(path).mode & 0o777).toBe(0o600);
    expect(readFileSync(path, 'utf8')).not.toContain(passphrase);
    await bench.offsite.changePassphrase('plums on the upper shelf');
    bench.use();
    await expect(bench.offsite.unlock(passphrase)).rejects.toThrow(/does not open it/);
    await bench.offsite.unlock('plums on the upper shelf');
  });

  it('goes nowhere where something else is, and not behind a passphrase that is guessed', async () => {
    const bench = await another();
    await expect(bench.offsite.setUp({ ...bench.request, passphrase: 'short' })).rejects.toThrow(
      /at least 12/,
    );
    await bucket.put('holiday.jpg', Buffer.from('x'));
    await expect(bench.setUp()).rejects.toThrow(/other things in it/);
    expect(bench.offsite.view().state).toBe('off');
  });

  it('follows labels, notes and the bin, and what is gone goes a day later', async () => {
    const bench = await another();
    await bench.setUp();
    const first = await keep(bench, 'First', { boot: noise('first', 700_000) });
    await keep(bench, 'Second', { boot: noise('second', 600_000) });
    await bench.sync();
    const asked = bucket.count('put', 'packs/');
    await bench.open.larder.change(first, { label: 'Renamed' });
    expect((await bench.offsite.missing()).map(({ name }) => name)).toEqual(['“Renamed”']);
    await bench.sync();
    expect(bucket.count('put', 'packs/')).toBe(asked);
    expect([...(await (await restored()).contents()).keys()].sort()).toEqual(['Renamed boot', 'Second boot']);

    await bench.open.larder.change(first, { binned: true });
    bench.bench.pass(31 * 86_400_000);
    await bench.open.larder.bin.empty(30 * 86_400_000);
    const packs = () => [...bucket.objects.keys()].filter((name) => name.startsWith('packs/')).length;
    const before = packs();
    await bench.sync();
    expect(packs()).toBe(before);
    bench.bench.pass(tombstoneMs - 1000);
    await bench.sync();
    expect(packs()).toBe(before);
    bench.bench.pass(2000);
    await bench.sync();
    expect(packs()).toBe(before - 1);
    expect([...bucket.objects.keys()].filter((name) => name.startsWith('tombstones/'))).toEqual([]);
    expect([...(await (await restored()).contents()).keys()]).toEqual(['Second boot']);
  });

  it('leaves no manifest of what was changed and deleted while the bucket was away', async () => {
    const bench = await another();
    await bench.setUp();
    const id = await keep(bench, 'First', { boot: noise('first', 400_000) });
    await keep(bench, 'Second', { boot: noise('second', 400_000) });
    await bench.sync();
    await bench.open.larder.change(id, { label: 'Renamed' });
    bucket.before = (operation) => {
      if (operation === 'put') throw new BucketFailure('the bucket in memory did not do it: 503.');
    };
    await expect(bench.sync()).rejects.toThrow(/503/);
    expect(bench.offsite.view()).toMatchObject({ keptCount: 2, offsiteCount: 1 });
    bucket.before = () => undefined;
    await bench.open.larder.remove([id]);
    const manifests = () => [...bucket.objects.keys()].filter((name) => name.includes('/kept/')).length;
    expect(manifests()).toBe(2);
    await bench.sync();
    expect(manifests()).toBe(1);
    expect([...(await (await restored()).contents()).keys()]).toEqual(['Second boot']);
  });

  it('loses nothing of what a lost home had when its successor copies before it has fetched', async () => {
    const bench = await another();
    await bench.setUp();
    await keep(bench, 'Before', { boot: noise('before', 700_000) });
    await bench.sync();
    const other = await another('Restored');
    await other.offsite.takeOver(other.request);
    await keep(other, 'After', { boot: noise('after', 700_000) });
    for (let i = 0; i < 3; i++) {
      await other.sync();
      other.bench.pass(tombstoneMs + 1000);
    }
    await other.fetchAll();
    expect([...(await other.contents()).keys()].sort()).toEqual(['After boot', 'Before boot']);
  });

  it('leaves out what is damaged here, says so, and repairs it from there', async () => {
    const bench = await another();
    await bench.setUp();
    const id = await keep(bench, 'First', { boot: noise('first', 700_000) });
    await bench.sync();
    const { shelf } = bench.open;
    const [list] = bench.open.larder.chunkListsByName();
    const digest = list!.chunks.subarray(0, 32);
    shelf.reportDamage(digest, 'does not match its digest');
    expect(shelf.has(digest)).toBe(false);
    expect(await bench.offsite.opened.repair([digest])).toEqual([]);
    expect(shelf.has(digest)).toBe(true);
    expect((await bench.bench.read(bench.open, id, 'boot')).equals(noise('first', 700_000))).toBe(true);
  });
});

it('a flipped bit that is found on the shelf is repaired from there, and the set is whole again', async () => {
  const bench = await another();
  await bench.setUp();
  const id = await keep(bench, 'First', { boot: noise('first', 900_000) });
  await bench.sync();
  const { shelf, database, larder } = bench.open;
  const [name] = readdirSync(shelf.packFolder) as [string];
  const file = openSync(join(shelf.packFolder, name), 'r+');
  writeSync(file, Buffer.from([0x5a, 0xa5]), 0, 2, 300_000);
  closeSync(file);
  const told: (readonly [string, boolean])[] = [];
  const scrubber = new Scrubber({
    ...{ shelf, now: () => bench.bench.clock.wall, isBusy: () => false },
    chunks: chunkStatements(database),
    sets: setStatements(database),
    copies: copyStatements(database),
    findings: scrubFindingStatements(database),
    repair: (digests) =>
      larder.whileWriting(async () => digests.length - (await bench.offsite.opened.repair(digests)).length),
    onDamage: (names, repaired) => told.push([names.join(), repaired]),
  });
  bench.bench.pass(1000);
  expect(await scrubber.readNow(true)).toBeGreaterThan(800_000);
  expect(told).toEqual([['“First”', true]]);
  const goodAt = bench.bench.clock.wall;
  expect(scrubber.view()).toMatchObject({
    damagedChunks: 0,
    findings: [{ chunks: 1, sets: [{ id, label: 'First' }], goodAt, fault: undefined }],
  });
  expect(larder.detail(id)).toMatchObject({ damaged: false });
  expect((await bench.bench.read(bench.open, id, 'boot')).equals(noise('first', 900_000))).toBe(true);
  // Where the bucket has it no more either, it stays damaged.
  const again = openSync(join(shelf.packFolder, name), 'r+');
  writeSync(again, Buffer.from([0x5a, 0xa5]), 0, 2, 600_000);
  closeSync(again);
  bucket.objects.clear();
  bench.bench.pass(1000);
  await scrubber.readNow(true);
  expect(told.at(-1)).toEqual(['“First”', false]);
  expect(larder.detail(id)).toMatchObject({ damaged: true });
});

describe('several benches', () => {
  it('send what all of them have once, see each other’s sets, and take what they need', async () => {
    const [front, back] = [await another('Front bench'), await another('Back bench')];
    await front.setUp();
    const system = noise('system', 3 << 20);
    await keep(front, 'Of the front', { system });
    await front.sync();
    await back.setUp();
    await keep(back, 'Of the back', { system, boot: noise('boot', 300_000) });
    const { sentBytes } = await back.sync();
    expect(sentBytes).toBeLessThan(400_000);
    expect(await front.offsite.elsewhere()).toMatchObject([
      { benchName: 'Back bench', name: '“Of the back”' },
    ]);
    await front.fetchAll();
    expect([...(await front.contents()).keys()].sort()).toEqual([
      'Of the back boot',
      'Of the back system',
      'Of the front system',
    ]);
  });

  it('do not take away what another one needs', async () => {
    const [front, back] = [await another('Front bench'), await another('Back bench')];
    await front.setUp();
    const system = noise('system', 3 << 20);
    const id = await keep(front, 'Of the front', { system });
    await front.sync();
    await back.setUp();
    await keep(back, 'Of the back', { system });
    await back.sync();
    await front.open.larder.change(id, { binned: true });
    front.bench.pass(31 * 86_400_000);
    await front.open.larder.bin.empty(30 * 86_400_000);
    for (let i = 0; i < 3; i++) {
      await front.sync();
      front.bench.pass(tombstoneMs + 1000);
    }
    expect([...(await (await restored()).contents()).keys()]).toEqual(['Of the back system']);
  });
});

describe('a bucket that', () => {
  const faults: Readonly<Record<string, (random: (below: number) => number) => void>> = {
    'refuses now and then': (random) => {
      bucket.before = () => {
        if (random(6) === 0) throw new BucketFailure('the bucket in memory did not do it: 503.');
      };
    },
    'goes away in the middle': (random) => {
      let left = random(40);
      bucket.before = () => {
        if (--left < 0) throw new BucketFailure('the bucket in memory did not do it: nobody answers.');
      };
    },
    'keeps what breaks off half': (random) => {
      bucket.before = (operation, name) => {
        if (operation !== 'put' || random(8) > 0) return;
        bucket.objects.set(name, Buffer.alloc(random(5000)));
        throw new BucketFailure('the bucket in memory did not do it: the connection broke off.');
      };
    },
    'loses objects': (random) => {
      bucket.before = () => {
        const names = [...bucket.objects.keys()].filter((name) => name !== 'seal.json');
        if (names.length > 0 && random(12) === 0) bucket.objects.delete(names[random(names.length)]!);
      };
    },
  };

  it.each(Object.entries(faults))('%s is never said to have what it cannot give', async (_, strike) => {
    for (let seed = 1; seed <= faultSeeds(isLong ? 60 : 3); seed++) {
      bucket = new MemoryBucket();
      const random = numbersOf(seed * 7919);
      const bench = await another(`Bench ${seed}`);
      await bench.setUp();
      for (let i = 0; i < 3; i++)
        await keep(bench, `Set ${i}`, {
          boot: noise(`${seed} ${i % 2}`, 400_000),
          misc: noise(`m${i}`, 50_000),
        });
      const kept = await bench.contents();
      strike(random);
      for (let i = 0; i < 3; i++) {
        await bench.sync().catch((error: unknown) => {
          if (!(error instanceof BucketFailure)) throw error;
        });
        bench.bench.pass(tombstoneMs / 2);
      }
      bucket.before = () => undefined;
      // What is said by one that looks now, and was not there at a fault.
      await bench.offsite.missing();
      const said = bench.offsite.view().since;
      const other = await restored();
      const found = await other.contents();
      for (const id of Object.keys(said)) {
        const { label } = bench.open.larder.detail(id);
        for (const partition of ['boot', 'misc'])
          expect([
            seed,
            label,
            found.get(`${label} ${partition}`)?.equals(kept.get(`${label} ${partition}`)!),
          ]).toEqual([seed, label, true]);
      }
      // Once it does as it should, everything gets there.
      await bench.sync();
      expect(bench.offsite.view()).toMatchObject({ keptCount: 3, offsiteCount: 3 });
      for (const each of benches.splice(0)) await each.close();
    }
  });
});
