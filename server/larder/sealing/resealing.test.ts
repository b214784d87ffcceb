// A shelf is sealed: afterwards nothing of what it holds can be read in any of its files, everything can be read with the passphrase, and
// nothing without. What is looked for are words within images, labels and names, byte by byte, by a search that knows nothing of the formats.
import { execFileSync } from 'node:child_process';
import { createCipheriv, createHash } from 'node:crypto';
import { mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, expect, it } from 'vitest';
import { faultSeeds } from '../../../testing/effort.ts';
import { testFolder } from '../../../testing/folder.ts';
import { LarderBench, type OpenLarder } from '../../../testing/larder.ts';
import { numbersOf } from '../../../testing/numbers.ts';
import { chunkStatements } from '../../database/chunks.ts';
import { openDatabase } from '../../database/open.ts';
import { shelfStatements } from '../../database/shelves.ts';
import { DamagedImage, SealFailure, ShelfFailure } from '../../failures.ts';
import { chunkDigest } from '../../shelf/threads/digest.ts';
import { ShelfWorkers } from '../../shelf/threads/workers.ts';
import { openedSeal } from '../../shelf/shelf-seal.ts';
import { reconciled } from '../reconciled.ts';
import { Snapshots } from '../snapshots.ts';
import { Resealing } from './resealing.ts';

const passphrase = 'medlars in the cold cellar';
const serial = 'TW3K-10482';
const cheap = { N: 1024, r: 8, p: 1 };
let workers: ShelfWorkers;
let bench: LarderBench;

beforeAll(() => {
  workers = new ShelfWorkers();
});
afterAll(() => workers.close());
beforeEach(() => {
  bench = new LarderBench(testFolder(), workers);
});
afterEach(() => bench.close());

/** Bytes that look like nothing, with words in them, so that they are stored as they are; and zeros, and text that packs well. */
function image(seed: string, words: string, bytes = 900_000): Buffer {
  const key = createHash('md5').update(seed).digest();
  const found = createCipheriv('aes-128-ctr', key, Buffer.alloc(16)).update(Buffer.alloc(bytes));
  for (let at = 1000; at + words.length < 520_000; at += 100_000) found.write(words, at);
  found.fill(0, 530_000, 790_000);
  found.fill(`${words} `, 790_000);
  return found;
}

const catalogue = () => join(bench.folder.path, 'catalogue.sqlite');
/** A larder as after a start of the program, and what seals it. */
async function start(at = catalogue()) {
  const database = openDatabase(at);
  const open = await bench.open(database);
  const { shelf, larder } = open;
  const snapshots = new Snapshots(bench.shelfPath, () => bench.clock.wall);
  let found: readonly { readonly text: string }[] = [];
  const resealing = new Resealing({
    ...{ shelf, chunks: chunkStatements(database), identity: shelfStatements(database) },
    isBusy: () => false,
    alone: (work) => larder.bin.alone(work),
    onUnlocked: async () => void (found = await reconciled(larder)),
    renewSnapshots: () => snapshots.renew(database, shelf.seal),
    onChange: () => undefined,
    sealCost: cheap,
  });
  return { ...open, snapshots, resealing, found: () => found.map(({ text }) => text) };
}
type Started = Awaited<ReturnType<typeof start>>;

async function sealed(started: Started): Promise<string> {
  const key = await started.resealing.seal(passphrase);
  await started.resealing.settled();
  return key;
}

/** Files of the shelf in which some bytes are. */
function filesWith(words: string | Buffer): string[] {
  const all = readdirSync(bench.shelfPath, { recursive: true, encoding: 'utf8' });
  return all
    .map((name) => join(bench.shelfPath, name))
    .filter((path) => statSync(path).isFile() && readFileSync(path).includes(words));
}
const packs = () => readdirSync(join(bench.shelfPath, 'packs'));
const shelfVersion = () =>
  (JSON.parse(readFileSync(join(bench.shelfPath, 'shelf.json'), 'utf8')) as { version: number }).version;

async function expectWhole(open: OpenLarder, kept: ReadonlyMap<string, Buffer>): Promise<void> {
  expect(open.larder.list().length).toBe(kept.size);
  for (const [id, bytes] of kept) expect((await bench.read(open, id, 'efs')).equals(bytes), id).toBe(true);
}

it('leaves nothing readable of what was stored before, nor of what comes after', async () => {
  const started = await start();
  const { shelf, snapshots, database } = started;
  const kept = new Map<string, Buffer>();
  for (const words of ['customer one', 'customer two']) {
    const bytes = image(words, words);
    kept.set(await bench.keep(started, `Label of ${words}`, { efs: bytes }), bytes);
  }
  await snapshots.take(database, shelf.seal);
  const secrets = [
    'customer one',
    'customer two',
    'Label of',
    serial,
    chunkDigest(image('customer one', 'customer one').subarray(0, 262_144)),
  ];
  for (const words of secrets) expect(filesWith(words).length, String(words)).toBeGreaterThan(0);

  expect(started.resealing.view()).toMatchObject({ state: 'none', leftBytes: 0 });
  await sealed(started);
  expect(started.resealing.view()).toMatchObject({ state: 'open', leftBytes: 0, fault: undefined });
  const late = image('late', 'customer three');
  kept.set(await bench.keep(started, 'Label of the third', { efs: late }), late);
  for (const words of [...secrets, 'customer three']) expect([words, filesWith(words)]).toEqual([words, []]);
  expect(shelfVersion()).toBe(3);
  await expectWhole(started, kept);
  expect(await shelf.checkAll(() => undefined)).toBe(0);
  // The copy of the catalogue comes back by the passphrase.
  const elsewhere = join(bench.folder.path, 'elsewhere.sqlite');
  expect(await snapshots.restoreTo(elsewhere)).toBeUndefined();
  expect(await snapshots.restoreTo(elsewhere, await openedSeal(bench.shelfPath, passphrase))).toBe(
    bench.clock.wall - 60_000,
  );
});

it('is locked after a start, and says so, until it is unlocked', async () => {
  const bytes = image('one', 'one');
  const first = await start();
  const id = await bench.keep(first, 'one', { efs: bytes });
  const key = await sealed(first);

  for (const secret of [passphrase, key]) {
    const again = await start();
    expect(again.shelf.absence).toBe('The larder is sealed. Unlock it with its passphrase.');
    expect(again.resealing.view()).toMatchObject({ state: 'locked', leftBytes: 0 });
    await expect(bench.read(again, id, 'efs')).rejects.toThrow(ShelfFailure);
    await expect(bench.keep(again, 'two', { efs: bytes })).rejects.toThrow(ShelfFailure);
    await expect(again.larder.bin.empty(0)).rejects.toThrow(ShelfFailure);
    await expect(again.resealing.changePassphrase(passphrase, 'a longer passphrase')).rejects.toThrow(
      ShelfFailure,
    );
    await expect(again.resealing.unlock('quinces')).rejects.toThrow(SealFailure);
    // None of that was taken for damage.
    expect(again.larder.list()[0]).toMatchObject({ damaged: false });
    expect(await again.resealing.unlock(secret)).toMatchObject({ state: 'open' });
    expect(again.shelf.absence).toBeUndefined();
    await expectWhole(again, new Map([[id, bytes]]));
    expect(chunkStatements(again.database).damaged()).toEqual([]);
  }
});

it('has another passphrase from one moment to the next', async () => {
  const started = await start();
  await bench.keep(started, 'one', { efs: image('one', 'one') });
  await sealed(started);
  await expect(started.resealing.changePassphrase('wrong', 'a longer passphrase')).rejects.toThrow(
    SealFailure,
  );
  await expect(started.resealing.changePassphrase(passphrase, 'short')).rejects.toThrow(/at least/);
  await started.resealing.changePassphrase(passphrase, 'a longer passphrase');
  const again = await start();
  await expect(again.resealing.unlock(passphrase)).rejects.toThrow(SealFailure);
  expect(await again.resealing.unlock('a longer passphrase')).toMatchObject({ state: 'open' });
});

it('comes off again', async () => {
  const started = await start();
  const bytes = image('one', 'customer one');
  const id = await bench.keep(started, 'one', { efs: bytes });
  await sealed(started);
  expect(await started.resealing.takeOff()).toMatchObject({ isComingOff: true });
  await started.resealing.settled();
  expect(started.resealing.view()).toMatchObject({ state: 'none', leftBytes: 0 });
  expect(readdirSync(bench.shelfPath)).not.toContain('seal.json');
  expect(shelfVersion()).toBe(2);
  expect(filesWith('customer one').length).toBeGreaterThan(0);
  const again = await start();
  expect(again.shelf.absence).toBeUndefined();
  await expectWhole(again, new Map([[id, bytes]]));
  await expect(again.resealing.unlock(passphrase)).rejects.toThrow(/not sealed/);
});

it('goes on after it was broken off, wherever that was', async () => {
  for (let seed = 0; seed < faultSeeds(6); seed++) {
    const number = numbersOf(seed * 17 + 3);
    rmSync(bench.folder.path, { recursive: true, force: true });
    mkdirSync(bench.folder.path);
    let started = await start();
    const kept = new Map<string, Buffer>();
    for (let i = 0; i < 4; i++) {
      const bytes = image(`${seed} ${i}`, `customer ${i}`, 800_000 + number(200_000));
      kept.set(await bench.keep(started, `set ${i}`, { efs: bytes }), bytes);
    }
    const before = packs();
    const copies = new Map(before.map((name) => [name, readFileSync(join(bench.shelfPath, 'packs', name))]));
    // Some packs are written anew, then the program is gone.
    const { shelf } = started;
    shelfStatements(started.database).saveAlike(false);
    await shelf.seal.make(passphrase, cheap);
    if (number(2) === 0) await shelf.describe();
    for (let left = number(5); left > 0; left--) await started.larder.bin.alone(() => shelf.resealNext());
    // Killed between the new pack and the removal of the old one, which the catalogue knows no more.
    if (number(2) === 0)
      for (const [name, bytes] of copies)
        if (!packs().includes(name)) writeFileSync(join(bench.shelfPath, 'packs', name), bytes);
    if (number(3) === 0) rmSync(join(bench.shelfPath, 'seal.json'));

    started = await start();
    expect(started.shelf.absence, `seed ${seed}`).toMatch(/is sealed/);
    await started.resealing.unlock(passphrase);
    await expectWhole(started, kept);
    await started.resealing.settled();
    expect(started.resealing.view(), `seed ${seed}`).toMatchObject({ leftBytes: 0, fault: undefined });
    for (let i = 0; i < 4; i++) expect(filesWith(`customer ${i}`), `seed ${seed}`).toEqual([]);
    await expectWhole(started, kept);
  }
});

it('tells what was changed, exchanged or cut', async () => {
  const started = await start();
  const [one, two] = [image('one', 'one'), image('two', 'two')];
  await sealed(started);
  const ids = [
    await bench.keep(started, 'one', { efs: one }),
    await bench.keep(started, 'two', { efs: two }),
  ];
  const paths = packs().map((name) => join(bench.shelfPath, 'packs', name));
  const whole = paths.map((path) => readFileSync(path));
  const put = (at: number, bytes: Uint8Array) => writeFileSync(paths[at]!, bytes);
  const changed = Buffer.from(whole[0]!);
  changed[5000]! ^= 1;
  put(0, changed);
  expect(await started.shelf.checkAll(() => undefined)).toBe(1);
  const failures = await Promise.all(
    ids.map((id) =>
      bench.read(started, id, 'efs').then(
        () => undefined,
        (error: unknown) => error,
      ),
    ),
  );
  const failure = failures.find((each) => each !== undefined);
  expect(failure).toBeInstanceOf(DamagedImage);
  expect((failure as Error).message).toMatch(/is not as it was sealed/);
  put(0, whole[1]!);
  expect(await started.shelf.checkAll(() => undefined)).toBeGreaterThan(0);
  put(0, whole[0]!.subarray(0, -1));
  expect(await started.shelf.checkAll(() => undefined)).toBeGreaterThan(0);
  put(0, whole[0]!);
  expect(await started.shelf.checkAll(() => undefined)).toBe(0);
});

it('comes back without its catalogue, by what lies on the shelf', async () => {
  const started = await start();
  const bytes = image('one', 'one');
  const id = await bench.keep(started, 'one', { efs: bytes });
  await sealed(started);
  const anew = await start(':memory:');
  expect(anew.shelf.absence).toMatch(/is sealed/);
  await anew.resealing.unlock(passphrase);
  expect(anew.found().join('\n')).toMatch(/one/);
  await expectWhole(anew, new Map([[id, bytes]]));
  expect(anew.resealing.view()).toMatchObject({ leftBytes: 0 });
});

// recover.py knows docs/shelf-format.md and Python’s `cryptography`.
it('is recovered by a program that goes by the description of the format alone', async () => {
  const started = await start();
  const kept = { efs: image('one', 'one'), boot: image('two', 'two') };
  await bench.keep(started, 'before', { efs: kept.efs });
  await sealed(started);
  await bench.keep(started, 'after', { boot: kept.boot });
  const out = join(bench.folder.path, 'recovered');
  const recover = (secret: string) =>
    execFileSync('python3', ['testing/offsite/recover.py', bench.shelfPath, secret, out], { stdio: 'pipe' });
  expect(() => recover('quinces')).toThrow(/the passphrase does not open it/);
  recover(passphrase);
  expect(readFileSync(join(out, 'before', 'efs')).equals(kept.efs)).toBe(true);
  expect(readFileSync(join(out, 'after', 'boot')).equals(kept.boot)).toBe(true);
});

it('is noticed by a catalogue that was put back from before, which loses nothing', async () => {
  const started = await start();
  const bytes = image('one', 'one');
  const id = await bench.keep(started, 'one', { efs: bytes });
  const older = join(bench.folder.path, 'older.sqlite');
  await started.database.backup(older);
  await sealed(started);
  const again = await start(older);
  await again.resealing.unlock(passphrase);
  expect([...again.shelf.doubts].join(' ')).toMatch(/older|another|put back|copy/i);
  await expect(again.larder.bin.empty(0)).rejects.toThrow(/Nothing is deleted/);
  await again.larder.rebuild();
  expect([...again.shelf.doubts]).toEqual([]);
  await expectWhole(again, new Map([[id, bytes]]));
});
