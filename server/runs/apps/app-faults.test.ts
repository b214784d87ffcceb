// What goes wrong while apps are copied and put back: nothing outside an app's folder is touched, nothing is lost,
// and the batch says what happened.
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { pack, type Header } from 'tar-stream';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import type { CopyView } from '@keen-larder/contract/copies.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { folderOf, partNameOf, type PartKind } from '@keen-larder/core/apps/copies.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { isIn, openOn, serial, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { isLong } from '../../../testing/effort.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import { startCopying } from './copying.ts';
import { startPuttingApps } from './putting-apps.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
const everything: PartKind[] = ['program', 'data', 'device-data'];
const notebooks = ['example.marshlog', 'example.ringcode', 'example.tidebook'];

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench);
  await until('the system', isIn(app, 'system'));
  await copy(notebooks);
}, 60_000);
afterEach(() => bench.phone.mendAll());
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

async function copy(names: readonly string[]): Promise<RunView> {
  const apps = names.map((name) => ({ package: name, parts: everything }));
  return app.engine.ended((await startCopying(app, serial, { apps, confirmed: [] })).id);
}
async function put(copies: readonly CopyView[], parts = everything): Promise<RunView> {
  const { id } = await startPuttingApps(app, serial, {
    copies: copies.map(({ id: copyId }) => ({ copyId, parts })),
    confirmed: ['older-program', 'hardware-keys'],
    armedWith: serial.slice(-4),
  });
  return app.engine.ended(id);
}
/** The newest that came from the phone. */
const newest = (name: string) =>
  app.larder.copies.of(serial).find((each) => each.app.package === name && each.origin === 'phone')!;

/** Every file of user data with a digest of its bytes, by path. */
async function tree(without: (path: string) => boolean = () => false): Promise<Map<string, string>> {
  const fs = await Ext4.open(bench.phone.flash.partition('userdata')!);
  const found = new Map<string, string>();
  const walk = async (path: string, number: number): Promise<void> => {
    const inode = await fs.inode(number);
    if (without(path)) return;
    if (inode.type === 'directory') {
      for (const each of await fs.list(inode)) await walk(`${path}/${each.name}`, each.inode);
    } else {
      const hash = createHash('sha256');
      if (inode.type === 'file') for await (const part of fs.content(inode)) hash.update(part);
      found.set(path, `${inode.type} ${inode.uid} ${inode.permissions} ${hash.digest('hex')}`);
    }
  };
  await walk('', 2);
  return found;
}

/** A copy that no phone would give: of an app, with some part made by hand. */
async function forged(from: CopyView, kind: 'program' | 'data', bytes: Buffer): Promise<CopyView> {
  const set = new SetWriter(app.larder.shelf);
  const image = set.image(0);
  await image.take(
    (async function* () {
      yield await Promise.resolve(bytes);
    })(),
  );
  const stored = await image.finish();
  await set.seal();
  const id = await app.larder.copies.add({
    phone: { serial, maker: 'Tidewell', model: 'Knot 3', nickname: 'Ringing hut' },
    createdAt: Date.now(),
    addedBytes: 0,
    origin: 'imported',
    facts: from.app,
    parts: [{ name: kind === 'data' ? partNameOf('data') : 'base.apk', kind, stored }],
  });
  return app.larder.copies.one(id);
}

async function archive(entries: readonly (Partial<Header> & { name: string })[]): Promise<Buffer> {
  const made = pack();
  for (const entry of entries) {
    const header = { uid: 0, gid: 0, mode: 0o666, ...entry };
    if (entry.type === undefined || entry.type === 'file') made.entry(header, 'owned');
    else made.entry(header);
  }
  made.finalize();
  const parts: Uint8Array[] = [];
  for await (const part of made) parts.push(part);
  return Buffer.concat(parts);
}

describe('a cable that is pulled', () => {
  // The others with `npm run kills`.
  it.each(isLong ? [[2_000], [9_000_000], [19_000_000]] : [[9_000_000]])(
    'while apps are copied, after %i bytes, is waited for',
    { timeout: 60_000 },
    async (bytes) => {
      const apps = notebooks.map((name) => ({ package: name, parts: everything }));
      // A program that is kept is not read again.
      await app.larder.copies.remove(app.larder.copies.of(serial).map(({ id }) => id));
      const { id } = await startCopying(app, serial, { apps, confirmed: [] });
      bench.phone.pullCableAfter(bytes);
      await until('the cable', () => !bench.phone.state().cable);
      bench.phone.setCable(true);
      expect((await app.engine.ended(id)).outcome).toMatch(/^3 apps copied/);
      const views = await app.appSheets.views(serial);
      for (const name of notebooks)
        expect(views.find((view) => view.package === name)?.change).toBe('as-kept');
    },
  );

  it.each(isLong ? [[500_000], [5_500_000], [6_200_000]] : [[5_500_000]])(
    'while an app is put back, after %i bytes, is waited for, and the app is as kept',
    { timeout: 60_000 },
    async (bytes) => {
      const before = await tree((path) => path.startsWith('/app') || path.startsWith('/system'));
      bench.phone.pullCableAfter(bytes);
      const running = put([newest('example.marshlog')]);
      await until('the cable or the end', async () => !bench.phone.state().cable || (await isOver(running)));
      bench.phone.setCable(true);
      expect((await running).outcome).toMatch(/^One app is in place and proved/);
      const after = await tree((path) => path.startsWith('/app') || path.startsWith('/system'));
      const isCache = (path: string) => path.includes('/cache');
      expect([...after].filter(([path]) => !isCache(path))).toEqual(
        [...before].filter(([path]) => !isCache(path)),
      );
    },
  );
});

const isOver = (running: Promise<unknown>) =>
  Promise.race([running.then(() => true), new Promise<boolean>((go) => setTimeout(() => go(false), 5))]);

describe('an exchange of data that broke off', () => {
  it('is told, and undone before anything else is done to the app', { timeout: 60_000 }, async () => {
    const data = folderOf('data', 'example.tidebook');
    const own = (path: string) => path.startsWith('/data/example.tidebook');
    const before = await tree((path) => !own(path) && path !== '' && path !== '/data');
    const folders = app.bench.link(serial).folders!;
    const tar = await archive([{ name: './databases/', type: 'directory' }, { name: './databases/x.db' }]);
    await folders.stage(
      data,
      (async function* () {
        yield await Promise.resolve(tar);
      })(),
    );
    await folders.swap(data);
    const view = (await app.appSheets.views(serial)).find(({ label }) => label === 'Tidebook')!;
    expect(view.installed!.isHalfPut).toBe(true);
    expect((await copy(['example.tidebook'])).outcome).toMatch(/^One app copied/);
    expect(await tree((path) => !own(path) && path !== '' && path !== '/data')).toEqual(before);
  });

  it('is ended where the new data had been proved', async () => {
    const data = folderOf('data', 'example.tidebook');
    const shell = app.bench.link(serial).folders!;
    const before = await tree();
    // As a settling that broke off after its mark leaves it.
    const tar = await archive([{ name: './.keen-larder-settled/', type: 'directory' }]);
    await app.bench.link(serial).files!.unpack(data, asStream(tar));
    expect(await shell.rollBack(data)).toBe(false);
    expect(await tree()).toEqual(before);
  });
});

async function* asStream(bytes: Buffer): AsyncGenerator<Uint8Array> {
  yield await Promise.resolve(bytes);
}

describe('a copy that is not what it should be', () => {
  type Entries = readonly (Partial<Header> & { name: string })[];
  it.each<[string, Entries, string, Entries]>([
    [
      'an absolute path',
      [{ name: '/data/system/owned' }],
      'a way up',
      [{ name: './files/../../example.marshlog/owned' }],
    ],
    [
      'what lies behind a link',
      [{ name: './out', type: 'symlink', linkname: '/data/system' }, { name: './out/owned' }],
      'a hard link out of the folder',
      [{ name: './out', type: 'link', linkname: '../example.marshlog/files/draft.txt' }],
    ],
    [
      'a device',
      [{ name: './disk', type: 'block-device', devmajor: 259, devminor: 0 }],
      'a pipe',
      [{ name: './pipe', type: 'fifo' }],
    ],
  ])('with %s, or with $2, touches nothing, and the batch goes on', { timeout: 60_000 }, async (...given) => {
    const [, one, , other] = given;
    const isCache = (path: string) => path.startsWith('/data/example.marshlog/cache');
    const before = await tree(isCache);
    const hostile = [
      await forged(newest('example.tidebook'), 'data', await archive(one)),
      await forged(newest('example.ringcode'), 'data', await archive(other)),
    ];
    const ended = await put([...hostile, newest('example.marshlog')], ['data']);
    expect(ended.state).toBe('incomplete');
    expect(ended.steps.map(({ state }) => state)).toEqual(['failed', 'failed', 'done']);
    for (const { result } of ended.steps.slice(0, 2)) expect(result).toMatch(/It is as it was before\./);
    expect(ended.outcome).toMatch(
      /^Tidebook and Ringcode were not put back and are as before.*One app is in/,
    );
    expect(await tree(isCache)).toEqual(before);
  });

  it('finds no room, says so of each, and goes in once there is some', { timeout: 60_000 }, async () => {
    const before = await tree();
    const copies = [newest('example.tidebook'), newest('example.ringcode')];
    const { id } = await startPuttingApps(app, serial, {
      copies: copies.map(({ id: copyId }, i) => ({ copyId, parts: i === 0 ? ['data'] : ['program'] })),
      confirmed: [],
      armedWith: serial.slice(-4),
    });
    // Only now: the sheet, which looks first, would stop it.
    await until('the first step', () => app.engine.view(id).steps[0]!.state === 'running');
    bench.phone.breakDown('full', 1);
    const ended = await app.engine.ended(id);
    for (const { result } of ended.steps)
      expect(result).toMatch(/(No space left|INSUFFICIENT_STORAGE).*It is as it was before\. Make room/s);
    expect(await tree()).toEqual(before);
    await expect(put(copies)).rejects.toThrow(/The phone is too full/);
    bench.phone.mendAll();
    expect((await put([copies[0]!], ['data'])).outcome).toMatch(/^One app is in place/);
  });

  it(
    'gives nothing to the app that is not its own, nor what runs as another',
    { timeout: 60_000 },
    async () => {
      const tar = await archive([
        { name: './files/', type: 'directory' },
        { name: './files/tool', mode: 0o4777 },
      ]);
      const copied = await forged(newest('example.ringcode'), 'data', tar);
      expect((await put([copied], ['data'])).outcome).toMatch(/^One app is in place/);
      const fs = await Ext4.open(bench.phone.flash.partition('userdata')!);
      const tool = (await fs.find('/data/example.ringcode/files/tool'))!;
      const uid = newest('example.ringcode').app.uid;
      expect([tool.uid, tool.gid, tool.permissions]).toEqual([uid, uid, 0o777]);
    },
  );

  it(
    'as a program is refused in the phone’s own words, and the batch goes on',
    { timeout: 60_000 },
    async () => {
      const before = await tree();
      const broken = await forged(newest('example.tidebook'), 'program', Buffer.from('no APK at all'));
      const ended = await put([broken], ['program']);
      expect(ended.steps[0]!.result).toMatch(/INSTALL_PARSE_FAILED_NOT_APK.*It is as it was before/s);
      expect(await tree()).toEqual(before);
    },
  );

  it('whose bytes on the shelf are damaged is refused before anything is exchanged', async () => {
    const before = await tree();
    const [part] = newest('example.tidebook').parts.filter(({ kind }) => kind === 'data');
    const stored = app.larder.copies.part(newest('example.tidebook').id, part!.name);
    expect(stored.bytes).toBe(part!.bytes);
    const copied = newest('example.tidebook');
    const damaged: typeof app.larder.copies = Object.create(app.larder.copies) as typeof app.larder.copies;
    damaged.part = (id, name) => ({
      ...app.larder.copies.part(id, name),
      chunks: Buffer.alloc(stored.chunks.length, 7),
    });
    const larder = Object.create(app.larder, { copies: { value: damaged } }) as KeenLarder['larder'];
    const { id } = await startPuttingApps({ ...app, larder }, serial, {
      copies: [{ copyId: copied.id, parts: ['data'] }],
      confirmed: [],
      armedWith: serial.slice(-4),
    });
    const ended = await app.engine.ended(id);
    expect(ended.steps[0]!.state).toBe('failed');
    expect(await tree()).toEqual(before);
  });
});
