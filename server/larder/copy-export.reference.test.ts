// An exported copy as GNU tar and coreutils see it: names, checksums, and the archive of its data.
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { CopyDescription } from '@keen-larder/core/apps/description.ts';
import { isIn, openOn, serial, startKnot3, testFolder, until } from '../../testing/bench.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { startCopying } from '../runs/apps/copying.ts';
import { copyTar } from './copy-export.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  app = await openOn(join(folder.path, 'home'), bench);
  await until('the system', isIn(app, 'system'));
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});
const run = (command: string, args: string[], cwd: string) =>
  execFileSync(command, args, { encoding: 'utf8', cwd, env: { ...process.env, TZ: 'UTC' } });

it('is ordinary files, which ordinary tools check and list', async () => {
  const { id } = await startCopying(app, serial, {
    apps: [{ package: 'example.tidebook', parts: ['program', 'data', 'device-data'] }],
    confirmed: [],
  });
  await app.engine.ended(id);
  const [copy] = app.larder.copies.of(serial);
  const parts: Uint8Array[] = [];
  for await (const part of copyTar(app.larder, copy!)) parts.push(Uint8Array.from(part));
  writeFileSync(join(folder.path, 'copy.tar'), Buffer.concat(parts));
  run('tar', ['-xf', 'copy.tar'], folder.path);
  const within = join(folder.path, `example.tidebook-${copy!.app.versionCode}`);
  expect(run('ls', [], within).trim().split('\n')).toEqual([
    'APP.json',
    'MD5SUMS',
    'SHA256SUMS',
    'base.apk',
    'data.tar',
    'device-data.tar',
  ]);
  expect(run('sha256sum', ['-c', 'SHA256SUMS'], within).match(/: OK$/gm)).toHaveLength(4);
  expect(run('md5sum', ['-c', 'MD5SUMS'], within).match(/: OK$/gm)).toHaveLength(4);

  const list = run('tar', ['--numeric-owner', '-tvf', 'data.tar'], within);
  expect(list).toMatch(/^drwx------ 10061\/10061 .* \.\/$/m);
  expect(list).toMatch(/^-rw-rw---- 10061\/10061 .* \.\/databases\/tidebook\.db$/m);
  expect(list).toMatch(/^lrwxrwxrwx .* \.\/files\/newest\.db -> \.\.\/databases\/tidebook\.db$/m);
  expect(list).not.toMatch(/cache/);
  const { app: described, files } = JSON.parse(
    readFileSync(join(within, 'APP.json'), 'utf8'),
  ) as CopyDescription;
  expect(described).toMatchObject({ package: 'example.tidebook', label: 'Tidebook', uid: 10061 });
  expect(files.map(({ name }) => name)).toEqual(['base.apk', 'data.tar', 'device-data.tar']);
  const certificates = run('apksigner', ['verify', '--print-certs', 'base.apk'], within);
  expect(certificates).toContain(`certificate SHA-256 digest: ${described.certificates[0]!}`);
});
