// Exports judged by the tools that will take them: sha256sum, md5sum, simg2img, GNU tar, gzip, zstd.
import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { isLong } from '../../testing/effort.ts';
import type { ExportRequest } from '@keen-larder/contract/requests/larder/sets.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { keepSet, serveOn, startKnot3, testFolder, toRecovery } from '../../testing/bench.ts';
import { startExporting } from '../runs/files/exporting.ts';
import type { Serving } from '../serve.ts';
import { digested } from './export.ts';

const folder = testFolder();
const picked = ['boot', 'efs', 'frp', 'modem'];
let bench: Awaited<ReturnType<typeof startKnot3>>;
let serving: Serving;
let setId: string;
const raw = new Map<string, Buffer>();

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  serving = await serveOn(join(folder.path, 'larder'), bench);
  const { app } = serving;
  await toRecovery(app, bench.phone);
  setId = await keepSet(app, 'to export', picked);
  for (const name of picked) {
    const device = bench.phone.flash.partition(name)!;
    raw.set(name, Buffer.from(await device.read(0, device.bytes)));
  }
});
afterAll(async () => {
  await serving.close();
  await bench.close();
  folder.remove();
});

/** Exports to a folder and has both checksum files checked by their tools. */
async function exported(request: ExportRequest): Promise<{ path: string; run: RunView; files: string[] }> {
  const started = await startExporting(serving.app, setId, request);
  const run = await serving.app.engine.ended(started.id);
  expect(run.state).toBe('done');
  const path = / in (\/.*)$/.exec(run.outcome!)![1]!;
  for (const [tool, sums] of [
    ['sha256sum', 'SHA256SUMS'],
    ['md5sum', 'MD5SUMS'],
  ] as const) {
    const lines = execFileSync(tool, ['-c', sums], { cwd: path, encoding: 'utf8' }).trim().split('\n');
    for (const line of lines) expect(line).toMatch(/: OK$/);
  }
  const files = readdirSync(path).filter((name) => !/^(SHA256SUMS|MD5SUMS|CONTENTS\.(txt|json))$/.test(name));
  return { path, run, files: files.sort() };
}

const unpack = (path: string) => {
  if (path.endsWith('.gz')) execFileSync('gzip', ['-d', path]);
  if (path.endsWith('.zst')) execFileSync('zstd', ['-dq', '--rm', path]);
  return path.replace(/\.(gz|zst)$/, '');
};

it.each([
  // RFC 1321, A.5.
  ['', 'd41d8cd98f00b204e9800998ecf8427e'],
  ['abc', '900150983cd24fb0d6963f7d28e17f72'],
  ['message digest', 'f96b697d7cb7938d525a2f31aaf161d0'],
  ['abcdefghijklmnopqrstuvwxyz', 'c3fcd3d76192e4007dfb496cca67e13b'],
])('the MD5 of what is exported: %j', async (message, md5) => {
  const { bytes, digests } = digested(Readable.from([Buffer.from(message)]));
  for await (const part of bytes) void part;
  expect(digests().md5.toString('hex')).toBe(md5);
});

describe('an export', () => {
  // Every packing with every form with the campaigns.
  it.each(isLong ? (['none', 'gzip', 'zstd'] as const) : (['gzip'] as const))(
    'of raw images, packing %s, is what was on the phone',
    async (packing) => {
      const { path, files } = await exported({ form: 'raw', packing });
      const suffix = { none: '', gzip: '.gz', zstd: '.zst' }[packing];
      expect(files).toEqual([...picked].sort().map((name) => `${name}.img${suffix}`));
      for (const [name, bytes] of raw) {
        expect(readFileSync(unpack(join(path, `${name}.img${suffix}`))).equals(bytes)).toBe(true);
      }
    },
  );

  it.each(isLong ? (['none', 'zstd'] as const) : (['zstd'] as const))(
    'of sparse images, packing %s, is read by simg2img',
    async (packing) => {
      const { path, files } = await exported({ form: 'sparse', packing });
      for (const file of files) {
        const sparse = unpack(join(path, file));
        execFileSync('simg2img', [sparse, join(path, 'back.img')]);
        expect(readFileSync(join(path, 'back.img')).equals(raw.get(file.split('.')[0]!)!)).toBe(true);
      }
      // modem has 12 MiB in 64.
      expect(statSync(join(path, 'modem.simg')).size).toBeLessThan(13 << 20);
    },
  );

  it('of a sparse image in parts keeps every part below the size asked for', async () => {
    const { path, files } = await exported({
      form: 'sparse',
      packing: 'none',
      splitMebibytes: 5,
      picked: ['modem'],
    });
    expect(files).toEqual(['modem-1of3.simg', 'modem-2of3.simg', 'modem-3of3.simg']);
    for (const file of files) expect(statSync(join(path, file)).size).toBeLessThanOrEqual(5 << 20);
    execFileSync('simg2img', [...files.map((file) => join(path, file)), join(path, 'back.img')]);
    expect(readFileSync(join(path, 'back.img')).equals(raw.get('modem')!)).toBe(true);
  });

  it('as one archive is unpacked by GNU tar', async () => {
    const { path, files } = await exported({ form: 'tar', packing: 'gzip' });
    expect(files).toEqual(['to export.tar.gz']);
    // What the archive holds is told beside it as well.
    const text = readFileSync(join(path, 'CONTENTS.txt'), 'utf8');
    for (const name of picked) expect(text).toMatch(new RegExp(`^${name}  `, 'm'));
    execFileSync('tar', ['-xzf', files[0]!], { cwd: path });
    for (const [name, bytes] of raw) {
      expect(readFileSync(join(path, 'to export', `${name}.img`)).equals(bytes)).toBe(true);
    }
    expect(
      execFileSync('sha256sum', ['-c', 'SHA256SUMS'], { cwd: join(path, 'to export'), encoding: 'utf8' }),
    ).toMatch(/boot\.img: OK/);
  });

  it('says what is what for people', async () => {
    const { path } = await exported({ form: 'raw', packing: 'zstd', picked: ['efs'] });
    const text = readFileSync(join(path, 'CONTENTS.txt'), 'utf8');
    expect(text).toMatch(/^to export\n\nPhone: Tidewell Knot 3, serial TW3K-10482 \(Ringing hut\)\n/);
    expect(text).toMatch(/Condition: rooted, TideOS 9 TW3\.260301\.004, patch level 2026-03-05/);
    const { sha256 } = serving.app.larder.detail(setId).images.find(({ partition }) => partition === 'efs')!;
    expect(text).toMatch(`efs  identity  16777216  ${sha256}`);
    expect(text).not.toMatch('boot  boot-chain');
    expect(text).toMatch(/Files:\nefs\.img\.zst\n$/);
  });
});

describe('a download', () => {
  const download = (query: string) => fetch(`${serving.url}/api/sets/${setId}/export?${query}`);

  it('of some sparse images in a packed archive is unpacked by zstd and GNU tar', async () => {
    const answer = await download('form=sparse&packing=zstd&picked=boot,frp');
    expect(answer.headers.get('content-disposition')).toMatch(/to export\.tar\.zst/);
    const path = join(folder.path, 'download');
    mkdirSync(path);
    writeFileSync(join(path, 'set.tar.zst'), Buffer.from(await answer.arrayBuffer()));
    execFileSync('tar', ['--zstd', '-xf', 'set.tar.zst', '--strip-components=1'], { cwd: path });
    expect(readdirSync(path).sort()).toEqual([
      'CONTENTS.json',
      'CONTENTS.txt',
      'MD5SUMS',
      'SHA256SUMS',
      'boot.simg',
      'frp.simg',
      'set.tar.zst',
    ]);
    execFileSync('md5sum', ['-c', 'MD5SUMS'], { cwd: path });
    execFileSync('simg2img', ['boot.simg', 'boot.img'], { cwd: path });
    expect(readFileSync(join(path, 'boot.img')).equals(raw.get('boot')!)).toBe(true);
  });

  it.each([
    ['form=vinyl&packing=none', /form/],
    ['form=raw', /packing/],
    ['form=sparse&packing=none&splitMebibytes=0', /splitMebibytes/],
    ['form=raw&packing=none&picked=../etc', /picked/],
    ['form=raw&packing=none&picked=system', /no image of system/],
  ])('asked for with %s is refused', async (query, words) => {
    const answer = await download(query);
    expect(answer.status).toBe(400);
    expect(((await answer.json()) as { detail: string }).detail).toMatch(words);
  });
});
