// Files made by the tools of the trade: img2simg, GNU tar, gzip, zstd, xz, sha256sum, md5sum.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  appendFileSync,
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  renameSync,
  readFileSync,
  symlinkSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { isLong } from '../../testing/effort.ts';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import {
  logicalSource,
  readLogicalPartitions,
} from '@keen-larder/core/formats/logical-partitions/logical-partitions.ts';
import { superImage } from '@keen-larder/core/testing/super.ts';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import type { ImportingStart } from '@keen-larder/contract/requests/imports.ts';
import type { ExportRequest } from '@keen-larder/contract/requests/larder/sets.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import {
  keepSet,
  openOn,
  quick,
  serial,
  serveAlone,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../keen-larder.ts';
import { startExporting } from '../runs/files/exporting.ts';
import { importSheet, knownPartitions, knownParts, startImporting } from '../runs/files/importing.ts';
import type { Serving } from '../serve.ts';
import { readImage } from '../shelf/image-reader.ts';

const folder = testFolder();
const other = join(folder.path, 'other larder');
const imports = join(other, 'imports');
let serving: Serving;
/** The larder that imports. */
let app: KeenLarder;

beforeAll(async () => {
  serving = await serveAlone(other);
  ({ app } = serving);
});
afterAll(async () => {
  await serving.close();
  folder.remove();
});

const views = () => app.incoming.view((each) => knownPartitions(app, each)).imports;
async function ready(id: string): Promise<ImportView> {
  await until(`${id} to be looked at`, () => views().find((each) => each.id === id)?.state === 'ready');
  return views().find((each) => each.id === id)!;
}

const phone = { maker: 'Tidewell', model: 'Knot 3', nickname: 'Elsewhere' };
let number = 0;
/** Keeps all of it that a partition is known for. */
async function imported(view: ImportView, over: Partial<ImportingStart> = {}): Promise<RunView> {
  const choices = view.images.flatMap(({ paths, partition }) =>
    partition ? [{ path: paths[0]!, partition }] : [],
  );
  const label = `imported ${++number}`;
  const start: ImportingStart = { choices, label, serial: 'ELSEWHERE-1', phone, confirmed: [], ...over };
  const putAside = () => app.incoming.putAside(view.id);
  const { id } = await startImporting(app, app.incoming.batch(view.id), start, putAside);
  return app.engine.ended(id);
}

const sha256 = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex');
/** Bytes of no known format, with a stretch of zeros in them. */
function sample(seed: string, bytes: number): Buffer {
  const out = Buffer.alloc(bytes);
  for (let at = 0; at < bytes; at += 32) {
    if (at < bytes / 3 || at > bytes / 2) createHash('sha256').update(`${seed}${at}`).digest().copy(out, at);
  }
  return out;
}
const put = (name: string) => {
  const path = join(folder.path, name);
  mkdirSync(path, { recursive: true });
  return path;
};
/** Puts a folder under the application's eyes, as somebody who copies it would. */
const bring = (path: string, id: string) => cpSync(path, join(imports, id), { recursive: true });

describe('files in the watched folder', () => {
  it('are unpacked by what they are, whatever they are called, and kept as what they hold', async () => {
    const made = put('mixed');
    const images = {
      boot: sample('boot', 1_200_000),
      efs: sample('efs', 524_288),
      modem: sample('modem', 3_000_000),
      system: sample('system', 4 << 20),
      persist: sample('persist', 1 << 20),
      vendor: sample('vendor', 2 << 20),
    };
    for (const [name, bytes] of Object.entries(images)) writeFileSync(join(made, `${name}.img`), bytes);
    execFileSync('gzip', [join(made, 'boot.img')]);
    execFileSync('zstd', ['-q', '--rm', join(made, 'efs.img')]);
    execFileSync('xz', [join(made, 'modem.img')]);
    execFileSync('img2simg', [join(made, 'system.img'), join(made, 'system.simg')]);
    execFileSync('rm', [join(made, 'system.img')]);
    execFileSync('img2simg', [join(made, 'vendor.img'), join(made, 'vendor.raw')]);
    execFileSync('rm', [join(made, 'vendor.img')]);
    execFileSync('gzip', ['-S', '.GZ', join(made, 'vendor.raw')]);
    writeFileSync(join(made, 'read me.txt'), 'A note.');
    writeFileSync(join(made, 'spare.bin'), sample('spare', 5000));
    const sums = execFileSync('sh', ['-c', 'sha256sum *'], { cwd: made, encoding: 'utf8' });
    writeFileSync(join(made, 'SHA256SUMS'), sums);
    symlinkSync('/etc/passwd', join(made, 'radio.img'));
    bring(made, 'mixed');

    const view = await ready('mixed');
    const found = Object.fromEntries(
      view.images.map(({ paths, layers, partition, imageBytes }) => [
        paths[0],
        [layers.join(' in '), partition, imageBytes],
      ]),
    );
    expect(found).toEqual({
      'boot.img.gz': ['gzip in raw', 'boot', undefined],
      'efs.img.zst': ['zstd in raw', 'efs', undefined],
      'modem.img.xz': ['xz in raw', 'modem', undefined],
      'persist.img': ['raw', 'persist', 1 << 20],
      'spare.bin': ['raw', undefined, 5000],
      'system.simg': ['sparse image in raw', 'system', 4 << 20],
      'vendor.raw.GZ': ['gzip in sparse image in raw', 'vendor', 2 << 20],
    });
    const run = await imported(view);
    expect(run.outcome).toContain('6 images');
    expect(run.state).toBe('done');
    const set = app.larder.detail(run.setId!);
    expect(set).toMatchObject({ imported: true, complete: true, mode: undefined, serial: 'ELSEWHERE-1' });
    expect(Object.fromEntries(set.images.map((each) => [each.partition, each.sha256]))).toEqual(
      Object.fromEntries(Object.entries(images).map(([name, bytes]) => [name, sha256(bytes)])),
    );
    expect(
      app.engine.logOf(run.id).filter(({ text }) => text.includes('as its checksum file says')),
    ).toHaveLength(6);
    // What somebody put there is moved aside, not deleted.
    expect(readdirSync(join(other, 'imported'))).toEqual(['mixed']);
    expect(existsSync(join(imports, 'mixed'))).toBe(false);
    expect(views()).toEqual([]);
  });

  it('may be one compressed tar archive with folders in it', async () => {
    const made = put('archived/of the bench/deep');
    const boot = sample('boot', 900_000);
    writeFileSync(join(made, 'boot.img'), boot);
    writeFileSync(
      join(made, 'dtbo.img.gz'),
      execFileSync('gzip', ['-c'], { input: sample('dtbo', 700_000) }),
    );
    writeFileSync(
      join(made, 'MD5SUMS'),
      execFileSync('sh', ['-c', 'md5sum --tag *'], { cwd: made, encoding: 'utf8' }),
    );
    const tar = join(folder.path, 'bench.tar.zst');
    execFileSync('tar', ['--zstd', '-cf', tar, '-C', join(folder.path, 'archived'), '.']);
    cpSync(tar, join(imports, 'bench.tar.zst'));
    const run = await imported(await ready('bench.tar.zst'));
    expect(run.state, run.outcome).toBe('done');
    const { images } = app.larder.detail(run.setId!);
    expect(images.map(({ partition }) => partition)).toEqual(['boot', 'dtbo']);
    expect(images[0]!.sha256).toBe(sha256(boot));
    expect(
      existsSync(join(other, 'imports-unpacked')) && readdirSync(join(other, 'imports-unpacked')),
    ).toEqual([]);
  });

  it('that are not as their checksum file says are not kept', async () => {
    const made = put('spoilt');
    writeFileSync(join(made, 'boot.img'), sample('boot', 400_000));
    const sums = execFileSync('sha256sum', ['boot.img'], { cwd: made, encoding: 'utf8' });
    writeFileSync(join(made, 'boot.img.sha256'), sums);
    const spoilt = readFileSync(join(made, 'boot.img'));
    spoilt[399_999]! ^= 1;
    writeFileSync(join(made, 'boot.img'), spoilt);
    bring(made, 'spoilt');
    const before = app.larder.list().length;
    const run = await imported(await ready('spoilt'));
    expect(run.state).toBe('failed');
    expect(run.outcome).toMatch(
      /^boot\.img is not as its checksum file says: sha256 [0-9a-f]{64} instead of/,
    );
    expect(app.larder.list()).toHaveLength(before);
    expect(existsSync(join(imports, 'spoilt', 'boot.img'))).toBe(true);
  });

  it('say what is wrong with them', async () => {
    const made = put('odd');
    const whole = execFileSync('gzip', ['-c'], { input: sample('boot', 400_000) });
    writeFileSync(join(made, 'boot.img.gz'), whole.subarray(0, 900));
    writeFileSync(join(made, 'cut.img.gz'), whole.subarray(0, 300_000));
    writeFileSync(join(made, 'recovery.img.lz4'), Buffer.from([0x04, 0x22, 0x4d, 0x18, 0, 0]));
    writeFileSync(join(made, 'firmware.zip'), Buffer.from('PK\x03\x04more'));
    writeFileSync(join(made, 'efs.img'), '');
    writeFileSync(join(made, 'modem-1of2.simg'), sample('half', 5000));
    bring(made, 'odd');
    const { images } = await ready('odd');
    const faults = Object.fromEntries(images.map(({ paths, fault }) => [paths[0], fault]));
    expect(faults).toEqual({
      'boot.img.gz': expect.stringMatching(/^It cannot be read: gzip: data at byte \d+/) as string,
      'cut.img.gz': undefined,
      'recovery.img.lz4': expect.stringContaining('another version of lz4') as string,
      'firmware.zip': expect.stringMatching(/^It cannot be read: zip: /) as string,
      'efs.img': 'It is empty.',
      'modem-1of2.simg': '2 parts belong together and one is here.',
    });
    // What ends too early is found when it is read.
    const choices = [{ path: 'cut.img.gz', partition: 'boot' }];
    const run = await imported(
      views().find(({ id }) => id === 'odd')!,
      { choices },
    );
    expect(run.state).toBe('failed');
    expect(run.outcome).toMatch(/gzip: data at byte \d+/);
  });

  it.each([
    [
      'grown.img',
      (path: string) => appendFileSync(path, 'more'),
      /^grown\.img changed while it was taken in/,
    ],
    [
      'shrunk.img',
      (path: string) => truncateSync(path, 100_000),
      /^shrunk\.img ended too early, after 100000 of 400000/,
    ],
  ])('that change under the run are not kept: %s', async (name, change, words) => {
    const path = join(imports, name);
    writeFileSync(path, sample(name, 400_000));
    const view = await ready(name);
    const before = app.larder.list().length;
    const run = imported(view, { choices: [{ path: name, partition: 'boot' }] });
    change(path);
    expect(await run).toMatchObject({ state: 'failed', outcome: expect.stringMatching(words) as string });
    expect(app.larder.list()).toHaveLength(before);
    // Once it is still again, it can be taken in as it is now.
    await until('a second look', () => views().find(({ id }) => id === name)?.bytes !== 400_000);
    const again = await imported(await ready(name), { choices: [{ path: name, partition: 'boot' }] });
    expect(again).toMatchObject({ state: 'done' });
  });

  it('stay open where nothing changed, whatever is told of them; a run that waited for what changed says so', async () => {
    const path = join(imports, 'moved.img');
    writeFileSync(path, sample('moved', 100_000));
    await ready('moved.img');
    const batch = app.incoming.batch('moved.img');
    renameSync(path, join(folder.path, 'moved.img'));
    await until('its going', () => views().find(({ id }) => id === 'moved.img')?.state !== 'ready');
    renameSync(join(folder.path, 'moved.img'), path);
    await ready('moved.img');
    expect(app.incoming.batch('moved.img')).toBe(batch);

    appendFileSync(path, 'more');
    await until('a second look', () => views().find(({ id }) => id === 'moved.img')?.bytes === 100_004);
    expect(() => batch.hold()).toThrow('moved.img changed since it was looked at. Nothing was kept.');
  });

  it('that still grow are looked at when they have come to rest', async () => {
    const path = join(imports, 'growing.img');
    writeFileSync(path, sample('a', 100_000));
    await until('its arrival', () => views().some(({ id }) => id === 'growing.img'));
    writeFileSync(path, sample('b', 300_000));
    await until('its end', () => views().find(({ id }) => id === 'growing.img')?.bytes === 300_000);
    execFileSync('rm', [path]);
    await until('its going', () => !views().some(({ id }) => id === 'growing.img'));
  });
});

it('a whole flash, partitioned by sgdisk, comes as its partitions, also when it is packed', async () => {
  const made = put('flash');
  const disk = join(made, 'flash.img');
  const holds = { boot_a: sample('boot', 1 << 20), oem: sample('oem', 3 << 20) };
  writeFileSync(disk, Buffer.alloc(16 << 20));
  execFileSync('sgdisk', ['-n1:2048:+1M', '-c1:boot_a', '-n2:6144:+3M', '-c2:oem', disk]);
  const bytes = readFileSync(disk);
  holds.boot_a.copy(bytes, 2048 * 512);
  holds.oem.copy(bytes, 6144 * 512);
  writeFileSync(disk, bytes);
  execFileSync('gzip', ['-k', '-1', disk]);
  execFileSync('img2simg', [disk, join(made, 'flash.simg')]);
  const sums = execFileSync('sh', ['-c', 'sha256sum flash.*'], { cwd: made, encoding: 'utf8' });
  writeFileSync(join(made, 'SHA256SUMS'), sums);
  bring(made, 'flash');

  const view = await ready('flash');
  const files = ['flash.img', 'flash.img.gz', 'flash.simg'];
  expect(view.images.map(({ paths, partition, layers }) => [paths[0], partition, layers])).toEqual(
    files.flatMap((file) => [
      [`${file}/gpt-primary`, 'gpt-primary', ['GPT']],
      [`${file}/boot_a`, 'boot_a', ['raw']],
      [`${file}/oem`, 'oem', ['raw']],
      [`${file}/gpt-backup`, 'gpt-backup', ['GPT']],
    ]),
  );
  const picked = ['boot_a', 'oem', 'gpt-primary', 'gpt-backup'];
  const choices = (file: string) => picked.map((name) => ({ path: `${file}/${name}`, partition: name }));
  const run = await imported(view, { choices: choices('flash.img.gz') });
  expect(run.state, run.outcome).toBe('done');
  const digests = Object.fromEntries(
    app.larder.detail(run.setId!).images.map((each) => [each.partition, each.sha256]),
  );
  // The primary table: MBR, header and 128 entries of 128 bytes (UEFI 2.10, 5.3).
  expect(digests).toEqual({
    boot_a: sha256(holds.boot_a),
    oem: sha256(holds.oem),
    'gpt-primary': sha256(bytes.subarray(0, 34 * 512)),
    'gpt-backup': sha256(bytes.subarray(bytes.length - 33 * 512)),
  });
  // The checksum of the whole speaks for its parts.
  const told = app.engine.logOf(run.id).filter(({ text }) => text.includes('as its checksum file says'));
  expect(told.map(({ text }) => text)).toEqual(['flash.img.gz is as its checksum file says.']);
});

describe('logical partitions', () => {
  const start = (choices: ImportingStart['choices'], label: string): ImportingStart => {
    return { choices, label, serial: 'ELSEWHERE-2', phone, confirmed: [] };
  };

  it('are put into the super that was kept last, which says where they go', async () => {
    const kept = superImage();
    writeFileSync(join(imports, 'super.img'), kept);
    const first = await imported(await ready('super.img'), { serial: 'ELSEWHERE-2', label: 'as it was' });
    expect(first.state, first.outcome).toBe('done');
    expect(await knownParts(app, 'ELSEWHERE-2')).toEqual(['super', 'system_a', 'vendor_a', 'system_b']);

    const vendor = sample('vendor', 700_000);
    writeFileSync(join(imports, 'vendor.img'), vendor);
    const view = await ready('vendor.img');
    const wanted = start([{ path: 'vendor.img', partition: 'vendor_a' }], 'another vendor');
    const sheet = await importSheet(app, app.incoming.batch(view.id), wanted);
    expect(sheet.checks.find(({ id }) => id === 'content-differs')).toMatchObject({
      severity: 'note',
      sentence: 'It is put together: vendor_a from what came, system_a and system_b as kept in “as it was”.',
    });
    const run = await imported(view, wanted);
    expect(run.state, run.outcome).toBe('done');
    const { partition } = app.larder.detail(run.setId!).images[0]!;
    expect(partition).toBe('super');
    const parts: Buffer[] = [];
    for await (const part of readImage(app.larder.shelf, app.larder.image(run.setId!, 'super')))
      parts.push(part);
    const source = memorySource(Buffer.concat(parts));
    expect(source.bytes).toBe(kept.length);
    const table = await readLogicalPartitions(source);
    const bytesOf = async (name: string, of = source) => {
      const found = (await readLogicalPartitions(of)).partitions.find((each) => each.name === name)!;
      return Buffer.from(await logicalSource(found, [of]).read(0, found.bytes));
    };
    expect(table.findings).toEqual([]);
    const now = await bytesOf('vendor_a');
    expect(now.subarray(0, vendor.length).equals(vendor)).toBe(true);
    expect(now.subarray(vendor.length).every((byte) => byte === 0)).toBe(true);
    expect((await bytesOf('system_a')).equals(await bytesOf('system_a', memorySource(kept)))).toBe(true);
  });

  it('that do not fit, or whose size nobody knows, are stopped', async () => {
    const stop = async (name: string, bytes: Buffer) => {
      writeFileSync(join(imports, name), bytes);
      const { id } = await ready(name);
      const { checks } = await importSheet(
        app,
        app.incoming.batch(id),
        start([{ path: name, partition: 'vendor_a' }], name),
      );
      return checks.find(({ severity }) => severity === 'stop')?.sentence;
    };
    expect(await stop('vendor-large.img', sample('large', 7 << 20))).toMatch(/has 6 MiB/);
    const packed = execFileSync('gzip', ['-c'], { input: sample('vendor', 300_000) });
    expect(await stop('vendor-packed.img.gz', packed)).toMatch(/only once it is unpacked/);
  });
});

describe('copies that a browser hands over', () => {
  const ask = (method: string, path: string, body?: Buffer) =>
    fetch(`${serving.url}/api${path}`, {
      method,
      headers: { connection: 'close' },
      ...(body && { body: new Uint8Array(body) }),
    });

  it('arrive whole with their digest, are kept, and are removed', async () => {
    const { id } = (await (await ask('POST', '/copies')).json()) as { id: string };
    const boot = sample('boot', 2_500_000);
    const answer = await ask(
      'PUT',
      `/copies/${id}/files?path=${encodeURIComponent('a folder/boot.img')}`,
      boot,
    );
    expect(await answer.json()).toEqual({ bytes: boot.length, sha256: sha256(boot) });
    expect((await ask('PUT', `/copies/${id}/files?path=a%20folder/boot.img`, boot)).status).toBe(409);
    const ended = (await (await ask('POST', `/copies/${id}/end?name=a%20folder`)).json()) as { id: string };
    expect(ended.id).toBe('a folder');
    const view = await ready('a folder');
    expect(view.isCopy).toBe(true);
    const run = await imported(view);
    expect(run.state, run.outcome).toBe('done');
    expect(existsSync(join(imports, 'a folder'))).toBe(false);
  });

  it.each(['../boot.img', 'a/../../b.img', '.hidden', 'a//..', '', 'a\u0000b', 'x'.repeat(300), 'c:\\d.img'])(
    'cannot be called %j',
    async (path) => {
      const { id } = (await (await ask('POST', '/copies')).json()) as { id: string };
      const answer = await ask(
        'PUT',
        `/copies/${id}/files?path=${encodeURIComponent(path)}`,
        Buffer.from('x'),
      );
      expect(answer.status).toBe(400);
      expect((await ask('DELETE', `/copies/${id}`)).status).toBe(204);
    },
  );

  it('cannot be begun by guessing', async () => {
    expect((await ask('PUT', '/copies/..%2F..%2Fx/files?path=boot.img', Buffer.from('x'))).status).toBe(404);
  });
});

describe('what one larder exports', () => {
  let bench: Awaited<ReturnType<typeof startKnot3>>;
  let from: KeenLarder;
  let set: SetDetail;
  beforeAll(async () => {
    bench = await startKnot3(join(folder.path, 'phones'));
    from = await openOn(join(folder.path, 'one larder'), bench);
    await toRecovery(from, bench.phone);
    set = from.larder.detail(await keepSet(from, 'before the flash', ['boot', 'efs', 'modem']));
  });
  afterAll(async () => {
    await from.close();
    await bench.close();
  });

  const requests: readonly ExportRequest[] = [
    { form: 'sparse', packing: 'none', splitMebibytes: 4 },
    { form: 'tar', packing: 'zstd' },
  ];
  const more: readonly ExportRequest[] = [
    { form: 'raw', packing: 'zstd' },
    { form: 'sparse', packing: 'gzip' },
  ];
  it.each(isLong ? [...requests, ...more] : requests)(
    'comes back in another as it was: %j',
    async (request) => {
      const started = await startExporting(from, set.id, request);
      const { outcome } = await from.engine.ended(started.id);
      const name = `export ${request.form} ${request.packing}`;
      bring(/ in (\/.*)$/.exec(outcome!)![1]!, name);
      const view = await ready(name);
      expect(view.suggested).toMatchObject({ label: 'before the flash', serial, model: 'Knot 3' });
      const run = await imported(view, { serial, label: `${name} again`, phone: view.suggested! });
      expect(run.state, run.outcome).toBe('done');
      const back = app.larder.detail(run.setId!);
      expect(back.images).toEqual(
        set.images.map((each) => ({ ...each, fileSystem: undefined, usedBytes: undefined })),
      );
      expect(back).toMatchObject({ imported: true, mode: 'recovery', condition: set.condition });
      expect(back.createdAt).toBe(set.createdAt);
    },
  );
});

it('the folder is watched from the start, also for what was put there while nothing ran', async () => {
  const home = join(folder.path, 'third larder');
  mkdirSync(join(home, 'imports'), { recursive: true });
  writeFileSync(join(home, 'imports', 'boot.img'), sample('boot', 5000));
  const third = await openKeenLarder({ ...quick, home, addresses: [] });
  try {
    const found = () => third.incoming.view(() => []).imports[0];
    await until('the file', () => found()?.state === 'ready');
    expect(found()!.images[0]).toMatchObject({ partition: 'boot', imageBytes: 5000 });
  } finally {
    await third.close();
  }
});
