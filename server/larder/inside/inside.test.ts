import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { FolderView, InsideView, PreviewView } from '@keen-larder/contract/inside.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { keepSet, serveOn, startKnot3, testFolder, toRecovery } from '../../../testing/bench.ts';
import type { Serving } from '../../serve.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let serving: Serving;
let set: string;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  serving = await serveOn(join(folder.path, 'larder'), bench);
  await toRecovery(serving.app, bench.phone);
  set = await keepSet(serving.app, 'to look into', [
    'boot',
    'gpt-primary',
    'persist',
    'cache',
    'userdata-files',
  ]);
});
afterAll(async () => {
  await serving.close();
  await bench.close();
  folder.remove();
});

const fetchOf = (path: string) => fetch(`${serving.url}/api/sets/${set}/images/${path}`);
const ask = async <T>(path: string) => (await (await fetchOf(path)).json()) as T;

describe('looking inside', () => {
  it('tells what an image is, and whether it has files', async () => {
    const boot = await ask<InsideView>('boot/inside');
    expect(boot).toMatchObject({
      inspection: { format: 'boot image', fields: { 'header version': 1 } },
      trees: [],
    });
    expect((await ask<InsideView>('gpt-primary/inside')).inspection).toMatchObject({ format: 'GPT' });
    expect((await ask<InsideView>('persist/inside')).trees).toEqual(['']);
  });

  it('lists folders, shows text and bytes, and hands out single files as they are on the phone', async () => {
    const root = await ask<FolderView>('persist/files?path=/');
    expect(root.files.map(({ name, kind }) => `${kind} ${name}`)).toEqual([
      'folder bluetooth',
      'folder lost+found',
      'folder sensors',
    ]);
    const { files } = await ask<FolderView>('persist/files?path=/sensors');
    const [file] = files;
    expect(file).toMatchObject({ name: 'calibration', kind: 'file', bytes: 65536, mode: 0o600, uid: 1000 });
    const fs = await Ext4.open(bench.phone.flash.partition('persist')!);
    const truth = await fs.read((await fs.find('/sensors/calibration'))!);
    const answer = await fetchOf('persist/file?path=/sensors/calibration');
    expect(answer.headers.get('content-disposition')).toMatch(/attachment; filename="?calibration"?$/);
    expect(Buffer.from(await answer.arrayBuffer()).equals(truth)).toBe(true);
    const text = await ask<PreviewView>('persist/preview?path=/bluetooth/.bt_nv.bin');
    expect(text).toMatchObject({ text: '02005E100418\n', bytes: 13 });
    const bytes = await ask<PreviewView>('persist/preview?path=/sensors/calibration');
    expect(bytes.text).toBeUndefined();
    expect(bytes.hex).toBe(Buffer.from(truth.subarray(0, 512)).toString('hex'));
    const log = await ask<PreviewView>('cache/preview?path=/recovery/last_log');
    expect(log.shownBytes).toBe(65536);
    expect(log.text).toMatch(/^1;/);
  });

  it('opens archives as well', async () => {
    expect((await ask<FolderView>('userdata-files/files?path=/')).files.map(({ name }) => name)).toContain(
      'system',
    );
    const [entry] = (await ask<FolderView>('userdata-files/files?path=/data')).files.filter(({ name }) =>
      name.endsWith('tidebook'),
    );
    expect(entry).toMatchObject({
      kind: 'folder',
      uid: 10061,
      label: expect.stringMatching(/app_data_file/) as string,
    });
    const list = await ask<PreviewView>('userdata-files/preview?path=/system/packages.list');
    expect(list.text).toMatch(/^example\.tidebook 10061/);
  });

  it('says what is not there, whatever the path', async () => {
    for (const path of ['/nowhere', '/../../etc/passwd', '/sensors/calibration/x']) {
      const answer = await fetchOf(`persist/files?path=${encodeURIComponent(path)}`);
      expect(answer.status).toBe(404);
      expect(((await answer.json()) as { detail: string }).detail).toMatch(/There is nothing at/);
    }
    expect((await fetchOf('boot/files?path=/')).status).toBe(422);
    expect((await fetchOf('persist/files')).status).toBe(400);
  });
});
