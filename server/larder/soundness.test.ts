// What of the larder may be believed: short writes, disks that lie, damage, old catalogues, clocks that jump.
import {
  existsSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  truncateSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { filler } from '../../standin/firmware/filler.ts';
import { flippedAt, fullFrom, shortAt, shortWrites, withWrites } from '../../testing/faults/disk-faults.ts';
import { LarderBench, type OpenLarder } from '../../testing/larder.ts';
import { openDatabase } from '../database/open.ts';
import { ShelfFailure } from '../failures.ts';
import { Snapshots } from './snapshots.ts';

let bench: LarderBench;
let open: OpenLarder;
const day = 24 * 60 * 60 * 1000;

beforeEach(async () => {
  bench = new LarderBench();
  open = await bench.open();
});
afterEach(() => bench.close());

const boot = filler('program', 1, 900_000);
const modem = filler('program', 2, 700_000);
const packs = () =>
  readdirSync(join(bench.shelfPath, 'packs')).map((name) => join(bench.shelfPath, 'packs', name));
const manifests = () => readdirSync(join(bench.shelfPath, 'manifests'));
const keep = (label: string, images: Record<string, Uint8Array> = { boot }, serial?: string) =>
  bench.keep(open, label, images, serial);
const expectWhole = async (id: string, partition = 'boot', bytes: Uint8Array = boot, of = open) =>
  expect((await bench.read(of, id, partition)).equals(bytes)).toBe(true);

/** Changes one byte in the middle of a file. @param silently the file looks as if nobody had touched it */
function flip(path: string, silently = false): void {
  const { atime, mtime } = statSync(path);
  const bytes = readFileSync(path);
  bytes[bytes.length >> 1]! ^= 0x10;
  writeFileSync(path, bytes);
  if (silently) utimesSync(path, atime, mtime);
}

describe('writes', () => {
  it('that take a part of their bytes only are ended, every one of them', async () => {
    const id = await withWrites(shortWrites(1000), () => keep('in small pieces'));
    await expectWhole(id);
    for (let n = 0; n < 6; n++) {
      const each = await withWrites(shortAt(n), () =>
        keep(`half of write ${n}`, { boot: filler('program', 50 + n, 300_000) }),
      );
      await expectWhole(each, 'boot', filler('program', 50 + n, 300_000));
    }
  });

  it('onto a full disk keep nothing, and say so', async () => {
    for (let n = 0; n < 4; n++) {
      await expect(
        withWrites(fullFrom(n), () => keep(`full at ${n}`, { boot, modem })),
      ).rejects.toMatchObject({
        code: 'ENOSPC',
      });
    }
    expect(open.larder.list()).toEqual([]);
    expect(packs()).toEqual([]);
    expect(manifests()).toEqual([]);
  });

  it('that the disk does not keep as they were are noticed before anything counts', async () => {
    // The first writes are of shelf and catalogue agreeing; the flipped one is of the pack.
    const lied: unknown[] = [];
    for (let n = 0; n < 4; n++) {
      const error = await withWrites(flippedAt(n), () =>
        keep(`flipped ${n}`, { boot: filler('program', 60 + n, 400_000) }),
      ).catch((caught: unknown) => caught);
      lied.push(error);
    }
    expect(lied.filter((error) => error instanceof ShelfFailure).length).toBeGreaterThan(0);
    for (const { id } of open.larder.list())
      for (const image of open.larder.detail(id).images)
        expect((await bench.read(open, id, image.partition)).length).toBe(image.bytes);
  });
});

describe('what is damaged on the shelf', () => {
  const damages: readonly [string, () => void][] = [
    ['a flipped bit', () => flip(packs()[0]!)],
    ['a flipped bit that nothing shows', () => (flip(packs()[0]!, true), bench.pass(8 * day))],
    ['a pack that was cut', () => truncateSync(packs()[0]!, 1000)],
    ['a pack that is missing', () => rmSync(packs()[0]!)],
    ['an empty pack', () => truncateSync(packs()[0]!, 0)],
  ];

  it.each(damages)('%s: imaging again stores it anew, and makes older sets whole', async (_what, damage) => {
    const first = await keep('first');
    const other = await keep('of another phone', { boot }, 'TW3K-99999');
    damage();
    await expect(bench.read(open, first, 'boot')).rejects.toThrow(/boot, bytes/);
    open.larder.recordVerification(first, [{ partition: 'boot', damage: 'read badly' }]);
    const again = await keep('again');
    for (const id of [first, other, again]) await expectWhole(id);
    expect(open.larder.detail(again).addedBytes).toBeGreaterThan(0);
    expect(open.larder.detail(first)).toMatchObject({ damaged: false, verifiedAt: undefined });
  });

  it.each(damages)('%s: a catalogue that is made anew does not take it for whole', async (_what, damage) => {
    const first = await keep('first');
    damage();
    const anew = await bench.open();
    await expect(bench.read(anew, first, 'boot')).rejects.toThrow(/boot, bytes/);
    const again = await bench.keep(anew, 'again', { boot });
    for (const id of [first, again]) await expectWhole(id, 'boot', boot, anew);
  });

  it('is not taken for damaged when the whole shelf is away, and not made anew either', async () => {
    const first = await keep('first');
    const aside = `${bench.shelfPath}-aside`;
    renameSync(bench.shelfPath, aside);
    await expect(keep('meanwhile')).rejects.toThrow(/The shelf in .* is not there. Connect its disk/);
    await expect(bench.read(open, first, 'boot')).rejects.toBeInstanceOf(ShelfFailure);
    const reopened = await bench.open(open.database);
    expect(reopened.texts.join()).toMatch(/is not there/);
    expect(existsSync(bench.shelfPath)).toBe(false);
    expect((await reopened.larder.shelfView()).absence).toMatch(/is not there/);
    renameSync(aside, bench.shelfPath);
    await bench.keep(reopened, 'back again', { boot, modem });
    await expectWhole(first, 'boot', boot, reopened);
    expect((await reopened.larder.shelfView()).absence).toBeUndefined();
  });

  it('a pack that comes back is relied upon again once it was read', async () => {
    const first = await keep('first');
    const [pack] = packs();
    const aside = join(bench.folder.path, 'pack aside');
    renameSync(pack!, aside);
    await open.shelf.lookOver();
    expect(open.shelf.has(open.larder.image(first, 'boot').chunks.subarray(0, 32))).toBe(false);
    renameSync(aside, pack!);
    const again = await keep('again');
    expect(open.larder.detail(again).addedBytes).toBe(0);
    await expectWhole(first);
  });
});

describe('nothing is freed on the word of', () => {
  it('a catalogue that was put back from a copy', async () => {
    const first = await keep('first');
    await open.larder.change(first, { binned: true });
    const older = open.database.serialize();
    await open.larder.change(first, { binned: false, note: 'needed after all' });
    const newer = await keep('newer', { modem });
    bench.pass(2 * day);
    const back = await bench.open(new Sqlite(older));
    expect(back.texts.join()).toMatch(/The catalogue is older than the shelf/);
    await expect(back.larder.bin.empty(0)).rejects.toThrow(/older than the shelf.*Rebuild/);
    await expectWhole(newer, 'modem', modem, back);
    await expectWhole(first, 'boot', boot, back);
    expect((await back.larder.shelfView()).doubts).toHaveLength(1);
    expect(manifests()).toHaveLength(2);
  });

  it('a manifest that cannot be read, when the catalogue was lost', async () => {
    const first = await keep('first');
    await keep('second', { modem });
    const path = join(bench.shelfPath, 'manifests', `${first}.json`);
    const text = readFileSync(path, 'utf8');
    truncateSync(path, 200);
    const anew = await bench.open();
    await expect(anew.larder.bin.empty(0)).rejects.toThrow(
      new RegExp(`The manifest ${first} cannot be used`),
    );
    writeFileSync(path, text);
    const mended = await bench.open();
    await expectWhole(first, 'boot', boot, mended);
  });

  it('two sets of one name', async () => {
    const first = await keep('of one name');
    const second = await keep('of another', { modem });
    const path = join(bench.shelfPath, 'manifests', `${second}.json`);
    // As an earlier program wrote it, which had no checksums.
    const text = readFileSync(path, 'utf8').replace(/^ "checksum": .*\n/m, '');
    writeFileSync(path, text.replace('of another', 'of one name'));
    const anew = await bench.open();
    expect(
      anew.larder
        .list()
        .map(({ label }) => label)
        .sort(),
    ).toEqual(['of one name', 'of one name (2)']);
    await expectWhole(first, 'boot', boot, anew);
    await expectWhole(second, 'modem', modem, anew);
  });

  it('the bin alone: packs lie aside for some days first', async () => {
    const first = await keep('first');
    await keep('second', { modem });
    await open.larder.change(first, { binned: true });
    expect((await open.larder.bin.empty(0)).removed).toBe(1);
    const freed = join(bench.shelfPath, 'freed');
    expect(readdirSync(freed)).toHaveLength(1);
    expect((await open.larder.shelfView()).freedBytes).toBeGreaterThan(800_000);
    bench.pass(4 * day);
    await open.larder.bin.empty(day);
    expect(readdirSync(freed)).toEqual([]);
    expect((await open.larder.shelfView()).freedBytes).toBe(0);
  });

  it('a clock that is a year ahead for one start', async () => {
    const first = await keep('first');
    await open.larder.change(first, { binned: true });
    open.time.save();
    bench.clock.wall += 365 * day;
    bench.clock.monotonic = 0;
    const ahead = await bench.open(open.database);
    expect((await ahead.larder.bin.empty(day)).removed).toBe(0);
    ahead.time.save();
    bench.clock.wall -= 365 * day;
    const right = await bench.open(open.database);
    expect((await right.larder.bin.empty(day)).removed).toBe(0);
    await expectWhole(first, 'boot', boot, right);
    bench.pass(day);
    expect((await right.larder.bin.empty(day)).removed).toBe(1);
  });
});

describe('two hands at once', () => {
  it('lose nothing of one set', async () => {
    for (let n = 0; n < 20; n++) {
      const id = await keep(`set ${n}`, { boot: filler('program', 100 + n, 1000) });
      await open.larder.change(id, { binned: true });
      await Promise.all([
        open.larder.change(id, { binned: false }),
        open.larder.change(id, { note: `note ${n}` }),
        open.larder.change(id, { label: `renamed ${n}` }),
      ]);
      expect(open.larder.detail(id)).toMatchObject({
        note: `note ${n}`,
        label: `renamed ${n}`,
        binnedAt: undefined,
      });
      const text = readFileSync(join(bench.shelfPath, 'manifests', `${id}.json`), 'utf8');
      expect(JSON.parse(text)).toMatchObject({ note: `note ${n}`, label: `renamed ${n}` });
    }
  });

  it('cannot give two sets one name', async () => {
    const [a, b] = [await keep('a'), await keep('b')];
    const both = await Promise.allSettled([a, b].map((id) => open.larder.change(id, { label: 'same' })));
    expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
    const reserved = open.larder.reserve({ serial: 'TW3K-10482', nickname: 'Ringing hut' }, 'on its way');
    await expect(open.larder.change(a, { label: 'on its way' })).rejects.toThrow(/is called “on its way”/);
    reserved.release();
    await open.larder.change(a, { label: 'on its way' });
  });

  it('keep what is being read', async () => {
    const id = await keep('being read');
    const letGo = open.larder.bin.hold([id]);
    await expect(open.larder.change(id, { binned: true })).rejects.toThrow(/being read now/);
    letGo();
    await open.larder.change(id, { binned: true });
    const again = open.larder.bin.hold([id]);
    expect((await open.larder.bin.empty(0)).removed).toBe(0);
    again();
    expect((await open.larder.bin.empty(0)).removed).toBe(1);
  });
});

describe('manifest and catalogue', () => {
  it('agree after the program ended between them: the manifest counts', async () => {
    const id = await keep('before');
    const path = join(bench.shelfPath, 'manifests', `${id}.json`);
    const row = open.database.prepare('SELECT * FROM sets WHERE id = ?').get(id) as object;
    await open.larder.change(id, { label: 'after', note: 'and noted', binned: true });
    const after = readFileSync(path, 'utf8');
    // As it stands when the manifest has been written and the catalogue has not.
    open.database
      .prepare(
        'UPDATE sets SET label = @label, note = @note, binnedAt = NULL, binnedMs = NULL, changing = 1 WHERE id = @id',
      )
      .run(row);
    expect(open.larder.detail(id).label).toBe('before');
    const reopened = await bench.open(open.database);
    expect(reopened.larder.detail(id)).toMatchObject({ label: 'after', note: 'and noted' });
    expect(reopened.larder.detail(id).binnedAt).toBeDefined();
    expect(readFileSync(path, 'utf8')).toBe(after);
  });

  it('are compared when a set is verified', async () => {
    const id = await keep('to be verified');
    expect(await open.larder.manifestFault(id)).toBeUndefined();
    const path = join(bench.shelfPath, 'manifests', `${id}.json`);
    const whole = readFileSync(path, 'utf8');
    // Earlier programs wrote them without a checksum.
    const earlier = whole.replace(/^ "checksum": .*\n/m, '');
    for (const [text, words] of [
      [whole.slice(0, -20), /it is not as its checksum says/],
      [whole.replace('to be verified', 'another'), /it is not as its checksum says/],
      [earlier.slice(0, -20), /JSON/],
      [earlier.replace('to be verified', 'another'), /does not say what the catalogue does/],
      [earlier.replace(/"sha256": "./, '"sha256": "x'), /does not say what the catalogue does/],
    ] as const) {
      writeFileSync(path, text);
      expect(await open.larder.manifestFault(id)).toMatch(words);
      await open.larder.mendManifest(id);
      expect(readFileSync(path, 'utf8')).toBe(whole);
    }
    rmSync(path);
    expect(await open.larder.manifestFault(id)).toBe('it is missing');
  });

  it('that was lost is written anew at the next start', async () => {
    const id = await keep('to be lost');
    rmSync(join(bench.shelfPath, 'manifests', `${id}.json`));
    const reopened = await bench.open(open.database);
    expect(reopened.texts.join()).toMatch(/Rewrote the manifest of the set “to be lost”/);
    expect(manifests()).toEqual([`${id}.json`]);
  });
});

describe('rebuilding', () => {
  const texts = async (of: OpenLarder) => (await of.larder.rebuild()).map(({ text }) => text).join('\n');

  it('makes an older catalogue agree: what the manifests say counts, what only it has goes into the bin', async () => {
    const renamed = await keep('before');
    const deleted = await keep('deleted since', { modem });
    const older = open.database.serialize();
    await open.larder.change(renamed, { label: 'after', note: 'noted' });
    await open.larder.change(deleted, { binned: true });
    await open.larder.bin.empty(0);
    const newer = await keep('newer', { efs: modem.subarray(0, 4096) });
    const back = await bench.open(new Sqlite(older));
    expect(await texts(back)).toMatch(/did not know the set “deleted since”: it may have been deleted since/);
    expect(back.larder.detail(renamed)).toMatchObject({ label: 'after', note: 'noted' });
    expect(back.larder.detail(deleted).binnedAt).toBeDefined();
    // Its pack lay aside still.
    await expectWhole(deleted, 'modem', modem, back);
    await expectWhole(newer, 'efs', modem.subarray(0, 4096), back);
    expect((await back.larder.shelfView()).doubts).toEqual([]);
    expect((await back.larder.bin.empty(0)).removed).toBe(1);
    expect((await bench.open(back.database)).texts).toEqual([]);
  });

  it('says of which sets bytes are missing, and what to do', async () => {
    await keep('whole', { modem });
    await keep('hurt');
    const [, second] = packs().sort((a, b) => statSync(a).mtimeMs - statSync(b).mtimeMs);
    flip(second!, true);
    const said = await texts(open);
    expect(said).toMatch(/“hurt” needs bytes that are damaged or missing on the shelf. Keep it again/);
    expect(said).not.toMatch('“whole”');
  });

  it('does not take a manifest at its word in which a digit is another: the catalogue has what it said', async () => {
    const id = await keep('one digit');
    const path = join(bench.shelfPath, 'manifests', `${id}.json`);
    const whole = readFileSync(path, 'utf8');
    const flipped = whole.replace(
      /("chunks": \[\s+"[0-9a-f]{5})(.)/,
      (_, before: string, digit: string) => `${before}${digit === '0' ? '1' : '0'}`,
    );
    expect(flipped).not.toBe(whole);
    writeFileSync(path, flipped);
    const said = await texts(open);
    expect(said).toMatch(/Rewrote the manifest of the set “one digit”/);
    expect(readFileSync(path, 'utf8')).toBe(whole);
    await expectWhole(id, 'boot', boot, open);
  });

  it('does not free anything while a manifest cannot be read, and does once it is gone', async () => {
    const first = await keep('first');
    const path = join(bench.shelfPath, 'manifests', `${first}.json`);
    truncateSync(path, 100);
    const anew = await bench.open();
    expect(await texts(anew)).toMatch(/cannot be used: .*Put the file back/);
    await expect(anew.larder.bin.empty(0)).rejects.toThrow(/Nothing is deleted/);
    rmSync(path);
    await texts(anew);
    await anew.larder.bin.empty(0, true);
    expect(packs()).toEqual([]);
  });
});

describe('copies of the catalogue on the shelf', () => {
  const catalogue = () => join(bench.folder.path, 'catalogue.sqlite');

  it('are taken once a day when something changed, and put back when the catalogue is lost', async () => {
    const database = openDatabase(catalogue());
    open = await bench.open(database);
    const id = await keep('kept');
    await open.larder.change(id, { binned: true });
    const snapshots = new Snapshots(bench.shelfPath, () => bench.clock.wall);
    for (const [days, count] of [
      [0, 1],
      [0, 1],
      [2, 1],
    ] as const) {
      bench.pass(days * day);
      await snapshots.takeIfDue(database, open.shelf.seal);
      expect(snapshots.list()).toHaveLength(count);
    }
    await keep('more', { modem });
    bench.pass(day);
    await snapshots.takeIfDue(database, open.shelf.seal);
    expect(snapshots.list()).toHaveLength(2);
    // The newest is damaged: the one before it is taken, and the shelf is newer than that.
    flipAll(snapshots.list()[0]!.path);
    database.close();
    rmSync(catalogue());
    await snapshots.restoreTo(catalogue());
    const back = await bench.open(openDatabase(catalogue()));
    expect(back.texts.join()).toMatch(/The catalogue is older than the shelf/);
    await back.larder.rebuild();
    expect(back.larder.list().map(({ label }) => label)).toEqual(['more', 'kept']);
    expect(back.larder.detail(id).binnedAt).toBeDefined();
  });

  it('that is damaged says so and what to do', () => {
    const database = openDatabase(catalogue());
    database.exec(
      "INSERT INTO phones (serial, maker, model, nickname, lastSeenAt) VALUES ('s', 'm', 'm', 'n', 1)",
    );
    database.close();
    flipAll(catalogue());
    expect(() => openDatabase(catalogue())).toThrow(
      /The catalogue catalogue.sqlite is damaged .* run “larder rebuild”/,
    );
    writeFileSync(catalogue(), 'no database at all');
    expect(() => openDatabase(catalogue())).toThrow(/is damaged/);
  });
});

/** Overwrites the pages behind the first one. */
function flipAll(path: string): void {
  const bytes = readFileSync(path);
  bytes.fill(0xa5, 4096);
  writeFileSync(path, bytes);
}
