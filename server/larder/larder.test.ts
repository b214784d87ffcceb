import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { filler } from '../../standin/firmware/filler.ts';
import { LarderBench, type OpenLarder } from '../../testing/larder.ts';
import { readImage } from '../shelf/image-reader.ts';
import type { Shelf } from '../shelf/shelf.ts';
import type { Larder } from './larder.ts';

const bench = new LarderBench();
const { shelfPath, clock } = bench;
let opened: OpenLarder;
let larder: Larder;
let shelf: Shelf;

beforeAll(async () => {
  opened = await bench.open();
  ({ larder, shelf } = opened);
});
afterAll(() => bench.close());

const open = () => bench.open();
const bytesOf = (seed: number, length = 900_000) => filler('program', seed, length);
const keep = (label: string, images: Record<string, Uint8Array>, serial?: string) =>
  bench.keep(opened, label, images, serial);
const read = (setId: string, partition: string, from = larder) =>
  bench.read({ ...opened, larder: from }, setId, partition);

const manifest = (id: string) =>
  JSON.parse(readFileSync(join(shelfPath, 'manifests', `${id}.json`), 'utf8')) as {
    label: string;
    note: string;
  };

describe('sets', () => {
  it('are listed newest first, with sizes as imaged and as stored', async () => {
    const first = await keep('first', { boot: bytesOf(1), efs: bytesOf(2, 70_000) });
    const second = await keep('second', { boot: bytesOf(1), efs: new Uint8Array(70_000) });
    expect(larder.list().map(({ id }) => id)).toEqual([second, first]);
    expect(larder.detail(first)).toMatchObject({ bytes: 970_000, imageCount: 2, verifiedAt: undefined });
    expect(larder.detail(first).addedBytes).toBeGreaterThan(960_000);
    expect(larder.detail(second)).toMatchObject({ bytes: 970_000, addedBytes: 0 });
    expect(await larder.shelfView()).toMatchObject({ imagedBytes: 1_940_000, setCount: 2 });
    expect(larder.detail(first).strip).toEqual([
      { role: 'boot-chain', bytes: 900_000 },
      { role: 'identity', bytes: 70_000 },
    ]);
    expect(larder.detail(first).fingerprint).not.toBe(larder.detail(second).fingerprint);
  });

  it('give back what went in', async () => {
    const id = await keep('read back', { boot: bytesOf(3), efs: Buffer.alloc(5_000_000, 'efs!') });
    expect((await read(id, 'boot')).equals(bytesOf(3))).toBe(true);
    expect((await read(id, 'efs')).equals(Buffer.alloc(5_000_000, 'efs!'))).toBe(true);
    expect(() => larder.image(id, 'modem')).toThrow(/no image of modem/);
    expect(() => larder.detail('none')).toThrow(/no such set/);
  });

  it('are renamed and noted, in the catalogue and on the shelf', async () => {
    const id = await keep('old name', { boot: bytesOf(4) });
    await larder.change(id, { label: '  new name ', note: 'came with a cracked screen' });
    expect(larder.detail(id)).toMatchObject({ label: 'new name', note: 'came with a cracked screen' });
    expect(manifest(id)).toMatchObject({ label: 'new name', note: 'came with a cracked screen' });
    await expect(larder.change(id, { label: 'first' })).rejects.toThrow(
      /Another set of Ringing hut is called/,
    );
    await expect(larder.change(id, { label: '   ' })).rejects.toThrow(/needs a name/);
    expect(larder.labels('TW3K-10482')).toContain('new name');
  });

  it('may have the name of another phone’s set', async () => {
    const id = await keep('first', { boot: bytesOf(4) }, 'TW3K-99999');
    expect(larder.detail(id).label).toBe('first');
  });

  it('are renamed though their manifest was lost: it is written anew', async () => {
    const id = await keep('to be lost', { boot: bytesOf(5) });
    rmSync(join(shelfPath, 'manifests', `${id}.json`));
    await larder.change(id, { note: 'found again' });
    const again = await open();
    expect(again.larder.detail(id)).toMatchObject({
      label: 'to be lost',
      note: 'found again',
      imageCount: 1,
    });
    expect((await read(id, 'boot', again.larder)).equals(bytesOf(5))).toBe(true);
  });

  it('say for each partition when it was last kept, the damaged left aside', async () => {
    const id = await keep('kept last', { efs: bytesOf(6) });
    const at = larder.detail(id).createdAt;
    expect(larder.kept('TW3K-10482').get('efs')).toBe(at);
    larder.recordVerification(id, [{ partition: 'efs', damage: 'its pack is gone' }]);
    expect(larder.detail(id)).toMatchObject({ damaged: true, images: [{ damage: 'its pack is gone' }] });
    expect(larder.kept('TW3K-10482').get('efs')).toBeLessThan(at);
    larder.recordVerification(id, [{ partition: 'efs', damage: null }]);
    expect(larder.detail(id).damaged).toBe(false);
    expect(larder.kept('NOBODY').size).toBe(0);
  });
});

describe('the bin', () => {
  it('keeps a set for a while, and gives it back', async () => {
    const id = await keep('binned', { boot: bytesOf(20) });
    const { binnedAt } = await larder.change(id, { binned: true });
    expect(binnedAt).toBe(clock.wall);
    expect((await larder.bin.empty(1)).removed).toBe(0);
    expect((await larder.change(id, { binned: false })).binnedAt).toBeUndefined();
    expect((await read(id, 'boot')).equals(bytesOf(20))).toBe(true);
  });

  it('frees what nothing else holds, also for one who is reading meanwhile', async () => {
    const shared = bytesOf(21, 3_000_000);
    const gone = await keep('goes', { boot: shared, efs: bytesOf(22, 9_000_000) });
    const stays = await keep('stays', { boot: shared });
    const before = (await larder.shelfView()).storedBytes;
    // A reader in the middle of the shared image while its pack is written anew.
    const reader = readImage(shelf, larder.image(stays, 'boot'));
    const first = (await reader.next()).value as Buffer;
    await larder.change(gone, { binned: true });
    const { removed, freedBytes } = await larder.bin.empty(0);
    expect(removed).toBe(1);
    expect(freedBytes).toBeGreaterThan(8_900_000);
    expect((await larder.shelfView()).storedBytes).toBe(before - freedBytes);
    const parts = [first];
    for await (const part of reader) parts.push(part);
    expect(Buffer.concat(parts).equals(shared)).toBe(true);
    expect(() => larder.detail(gone)).toThrow(/no such set/);
  });

  it('leaves a set that a run is reading for the next time', async () => {
    const id = await keep('in use', { boot: bytesOf(23) });
    await larder.change(id, { binned: true });
    larder.bin.otherUse = (each) => (each === id ? 'A run works with it.' : undefined);
    expect((await larder.bin.empty(0)).removed).toBe(0);
    larder.bin.otherUse = () => undefined;
    expect((await read(id, 'boot')).equals(bytesOf(23))).toBe(true);
    expect((await larder.bin.empty(0)).removed).toBe(1);
  });

  it('is not emptied while a run stores images, and the other way round', async () => {
    await larder.whileWriting(async () => {
      await expect(larder.bin.empty(0)).rejects.toThrow(/storing images now/);
    });
    await larder.bin.empty(0);
  });
});

describe('a shelf that is opened without its catalogue', () => {
  it('tells every set again', async () => {
    const again = await open();
    expect(again.larder.list().map(({ id }) => id)).toEqual(larder.list().map(({ id }) => id));
    expect(again.texts.join('\n')).toMatch(/Entered the set “first” from its manifest/);
    for (const { id, images } of again.larder.list().map(({ id: each }) => again.larder.detail(each))) {
      for (const { partition, bytes } of images) {
        expect((await read(id, partition, again.larder)).length).toBe(bytes);
      }
    }
  });

  it.each([
    ['not JSON', '{', /cannot be used/],
    ['another format', '{"format":"x"}', /not a manifest of a set/],
    ['a later version', '{"format":"keen-larder-set","version":9}', /has version 9/],
    ['missing fields', '{"format":"keen-larder-set","version":1,"id":"x"}', /fields are missing/],
  ])('passes over a manifest that is %s, and says so', async (_what, text, words) => {
    const path = join(shelfPath, 'manifests', 'odd.json');
    writeFileSync(path, text);
    const { texts } = await open();
    rmSync(path);
    expect(texts.join('\n')).toMatch(words);
    expect(texts.join('\n')).toMatch(/The manifest odd/);
  });

  it('clears away what a killed run left unsealed', async () => {
    writeFileSync(join(shelfPath, 'packs', 'left.pack.part'), 'half');
    writeFileSync(join(shelfPath, 'manifests', 'left.json.part'), 'half');
    expect((await open()).texts.join('\n')).toMatch(/Removed left.pack.part/);
    expect((await open()).texts.join('\n')).not.toMatch('left');
  });

  it('leaves a folder alone that is none, or of another version', async () => {
    const path = join(shelfPath, 'shelf.json');
    const before = readFileSync(path, 'utf8');
    for (const [text, words] of [
      ['{"format":"photo-album"}', /does not describe a shelf/],
      [before.replace(/"version": \d+/, '"version": 1'), /shelf of version 1; this program reads version 2/],
      ['{', /is damaged/],
    ] as const) {
      writeFileSync(path, text);
      await expect(open()).rejects.toThrow(words);
    }
    writeFileSync(path, before);
  });
});
