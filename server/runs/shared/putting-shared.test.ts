// Photos and downloads that were kept go onto a phone whose system gives no root, a folder at a time.
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { obstacles, type OnTop } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import { editTree } from '@keen-larder/standin/flash/file-tree.ts';
import { addressesOfAll, openOn, startPhones, testFolder, until } from '../../../testing/bench.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { startImaging } from '../imaging/imaging.ts';
import { keptShared, sharedFolders } from './kept-shared.ts';
import { puttingShared, startPuttingShared } from './putting-shared.ts';

const folder = testFolder();
/** Neither gives root. */
const [from, to] = ['MS10-70055', 'TW3K-10517'] as const;
let bench: PracticeBench;
let app: KeenLarder;
let setId: string;

beforeAll(async () => {
  bench = await startPhones(join(folder.path, 'phones'), [from, to], { [to]: 'system-january' });
  app = await openOn(join(folder.path, 'home'), undefined, { addresses: addressesOfAll(bench) });
  for (const serial of [from, to])
    await until(serial, () => app.bench.linkIn(serial, 'system') !== undefined);
  expect(app.bench.facts(to).root).toBe(false);
  const request = { picked: ['shared-storage'], label: 'photos', confirmed: ['live-file-system', 'battery'] };
  const run = await app.engine.ended((await startImaging(app, from, request)).id);
  expect(run.state, run.outcome).toBe('done');
  setId = run.setId!;
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const phoneOf = (serial: string) => bench.phones.find(({ identity }) => identity.serial === serial)!;
/** Files of a phone's shared storage, each with its owner and its digest. */
async function sharedOn(serial: string): Promise<Map<string, string>> {
  const fs = await openFileSystem(await phoneOf(serial).userData());
  const found = new Map<string, string>();
  const walk = async (path: string): Promise<void> => {
    for (const { name, inode: number } of await fs.list((await fs.find(`/media/0${path}`))!)) {
      const inode = await fs.inode(number);
      if (inode.type === 'directory') await walk(`${path}/${name}`);
      else {
        const hash = createHash('sha256');
        for await (const part of fs.content(inode)) hash.update(part);
        found.set(`${path}/${name}`.slice(1), `${inode.uid} ${hash.digest('hex')}`);
      }
    }
  };
  await walk('');
  return found;
}
const isIn =
  (top: string) =>
  ([path]: readonly [string, string]) =>
    path.startsWith(`${top}/`);
const confirmed = ['another-phone', 'data-replaced', 'battery'];
async function put(folders: string[], onTop: OnTop = 'leave') {
  const start = { setId, folders, onTop, confirmed, armedWith: to.slice(-4) };
  return app.engine.ended((await startPuttingShared(app, to, start)).id);
}
async function spoil(path: string): Promise<void> {
  const bytes = Buffer.from(`what somebody made of ${path} meanwhile`);
  await editTree(await phoneOf(to).userData(), {
    adds: [
      {
        ...{
          path: `/media/0/${path}`,
          type: 'file',
          permissions: 0o664,
          uid: 1023,
          gid: 1023,
          attributes: [],
        },
        ...{ modifiedAt: 1_770_000_000, bytes: bytes.length, content: onePiece(bytes) },
      },
    ],
  });
}

describe('shared storage that was kept', () => {
  it('is told by its folders, without those of apps', async () => {
    expect(keptShared(app)).toMatchObject([{ setId, serial: from }]);
    const folders = await sharedFolders(app.inside, setId);
    expect(folders.map(({ name }) => name)).toEqual(['DCIM', 'Download', 'Ringtones']);
    expect(folders.every(({ files, bytes }) => files > 0 && bytes > 0)).toBe(true);
  });

  it('goes onto a phone without root by the folders that were picked', async () => {
    await editTree(await phoneOf(to).userData(), { removes: (path) => path === '/media/0/Download' });
    const [there, before] = [await sharedOn(from), await sharedOn(to)];
    const run = await put(['Download']);
    expect(run.state, run.steps[0]!.result).toBe('done');
    const now = await sharedOn(to);
    const came = [...there].filter(isIn('Download'));
    expect(came.length).toBeGreaterThan(0);
    expect([...now].filter(isIn('Download'))).toEqual(came);
    // What was not picked is as it was, and nothing else is left there.
    expect([...now].filter((each) => !isIn('Download')(each))).toEqual([...before]);
    expect(run.outcome).toMatch(/^\d+ files? in place and proved\.$/);
  });

  it('is not sent twice; what the phone has with other bytes is left, and named, or replaced where that is wanted', async () => {
    const [[path] = ['']] = [...(await sharedOn(to))].filter(isIn('Download'));
    expect((await put(['Download'])).outcome).toMatch(
      /^0 files in place and proved, \d+ were there already\.$/,
    );
    await spoil(path);
    const spoiled = (await sharedOn(to)).get(path);
    expect((await put(['Download'])).outcome).toContain(`Left as the phone has it: ${path}.`);
    expect((await sharedOn(to)).get(path)).toBe(spoiled);
    const replaced = await put(['Download'], 'replace');
    expect(replaced.outcome).toMatch(/^1 file in place and proved/);
    expect((await sharedOn(to)).get(path)).toBe((await sharedOn(from)).get(path));
  });

  it('is not begun where the phone is full, and goes on where the cable comes out', async () => {
    const before = await sharedOn(to);
    await editTree(await phoneOf(to).userData(), { removes: (path) => path === '/media/0/DCIM' });
    phoneOf(to).flash.faults.isFull = true;
    await expect(put(['DCIM'])).rejects.toThrow(/The phone is too full.*Pick less/);
    phoneOf(to).flash.faults.clear();
    expect([...(await sharedOn(to))].filter(isIn('DCIM'))).toEqual([]);
    phoneOf(to).pullCableAfter(1 << 20);
    const start = { setId, folders: ['DCIM'], onTop: 'leave' as const, confirmed };
    const { id } = await startPuttingShared(app, to, start);
    await until('the cable', () => !phoneOf(to).state().cable);
    phoneOf(to).setCable(true);
    const run = await app.engine.ended(id);
    expect(run.state, run.outcome).toBe('done');
    const there = [...(await sharedOn(from))].filter(isIn('DCIM'));
    expect([...(await sharedOn(to))].filter(isIn('DCIM'))).toEqual(there);
    expect([...before.keys()].length).toBeGreaterThan(0);
  });

  it('is checked before: nothing picked, another phone, what is replaced', async () => {
    const ids = async (folders: string[], onTop: OnTop) =>
      obstacles(await puttingShared(app, to, { setId, folders, onTop }), []).map(({ id }) => id);
    expect(await ids([], 'leave')).toEqual(['nothing-picked', 'another-phone']);
    expect(await ids(['DCIM'], 'leave')).toEqual(['another-phone']);
    expect(await ids(['DCIM'], 'replace')).toEqual(['another-phone', 'data-replaced']);
    const start = { setId, folders: ['DCIM'], onTop: 'replace' as const, confirmed };
    await expect(startPuttingShared(app, to, start)).rejects.toThrow(/armed/);
  });
});
