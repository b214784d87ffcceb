/**
 * `npm run bench:apps -- --apps 500`: a phone with many small apps: listing them, filtering them, copying them; and one
 * app out of a kept image of 4 GiB.
 */
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { execFileSync } from 'node:child_process';
import { createReadStream, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Command } from 'commander';
import pino from 'pino';
import { randomUUID } from 'node:crypto';
import { filterApps, sortApps } from '@keen-larder/core/apps/facets.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { serve } from '@keen-larder/server/serve.ts';
import { startCopying } from '@keen-larder/server/runs/apps/copying.ts';
import { startTakingOut } from '@keen-larder/server/runs/apps/taking-out.ts';
import { unpackChunkList } from '@keen-larder/server/shelf/manifest.ts';
import { SetWriter } from '@keen-larder/server/shelf/set-writer.ts';
import { startPracticeBench } from '@keen-larder/standin/bench.ts';
import { notebookDatabase } from '@keen-larder/standin/firmware/database.ts';
import { manyPrograms } from '@keen-larder/standin/firmware/programs.ts';
import { editTree, type Addition } from '@keen-larder/standin/flash/file-tree.ts';
import { settingsFiles, withListLine, withPackage } from '@keen-larder/standin/packages/settings.ts';
import { measureAppsPage } from './pages/apps-page.ts';

const values = new Command('npm run bench:apps --')
  .description('Many apps on one phone, and one app out of a large image.')
  .option('--apps <n>', 'how many', '500')
  .parse()
  .opts<{ apps: string }>();
const count = Number(values.apps);
const serial = 'TW3K-10517';
const folder = mkdtempSync(join(tmpdir(), 'keen-larder-bench-apps-'));
const print = (line: string) => process.stdout.write(`${line}\n`);
const bench = await startPracticeBench({
  home: join(folder, 'phones'),
  basePort: 0,
  fast: true,
  trusting: true,
  only: [serial],
});
const [phone] = bench.phones;
const userData = phone!.flash.partition('userdata')!;

const fs = await Ext4.open(userData);
const owned = (uid: number) => ({ uid, gid: uid, attributes: [], modifiedAt: 1_767_600_000 });
const adds: Addition[] = [];
let [packages, list] = [await fs.text(settingsFiles.packages), await fs.text(settingsFiles.list)];
for (let i = 0; i < count; i++) {
  const name = `example.small${i}`;
  const uid = 11_000 + i;
  const apk = manyPrograms(name, i, 900_000);
  const database = notebookDatabase(i, 100_000);
  adds.push(
    { path: `/app/${name}-1`, type: 'directory', permissions: 0o755, ...owned(1000) },
    {
      path: `/app/${name}-1/base.apk`,
      type: 'file',
      permissions: 0o644,
      ...owned(1000),
      bytes: apk.length,
      content: onePiece(apk),
    },
    { path: `/data/${name}`, type: 'directory', permissions: 0o700, ...owned(uid) },
    {
      path: `/data/${name}/notes.db`,
      type: 'file',
      permissions: 0o660,
      ...owned(uid),
      bytes: database.length,
      content: onePiece(database),
    },
  );
  packages = withPackage(packages!, {
    name,
    codePath: `/data/app/${name}-1`,
    userId: uid,
    version: 7,
    firstInstalledAt: 1,
    updatedAt: 1,
    installer: undefined,
  });
  list = withListLine(list!, name, uid);
}
for (const [path, text] of [
  [settingsFiles.packages, packages!],
  [settingsFiles.list, list!],
] as const) {
  const bytes = Buffer.from(text);
  adds.push({
    path,
    type: 'file',
    permissions: 0o660,
    ...owned(1000),
    bytes: bytes.length,
    content: onePiece(bytes),
  });
}
await editTree(userData, { adds });

const home = join(folder, 'home');
const serving = await serve({
  home,
  port: 0,
  addresses: [phone!.state().adb],
  pollMs: 100,
  log: pino({ level: 'silent' }),
});
const { app } = serving;
try {
  while (app.bench.linkIn(serial, 'system') === undefined) await new Promise((go) => setTimeout(go, 50));
  let at = performance.now();
  const first = await app.appSheets.views(serial);
  print(`listing ${first.length} apps for the first time: ${ms(at)}`);
  at = performance.now();
  await app.appSheets.views(serial);
  print(`listing them again: ${ms(at)}`);
  const names = first.filter(({ installed }) => !installed?.isBuiltIn).map((view) => view.package);
  const times: number[] = [];
  for (let i = 0; i < 50; i++) {
    at = performance.now();
    sortApps(
      filterApps(first, `small${i % 10}`, new Set(['kind:owner', 'change:never'])).shown,
      'data',
      true,
    );
    times.push(performance.now() - at);
  }
  print(`filtering and sorting them: ${times.sort((a, b) => a - b)[25]!.toFixed(1)} ms (wanted: under 50)`);
  for (let i = 0; i < 3; i++) {
    const page = await measureAppsPage(serving.url, serial);
    const shown = (value: number) => `${Math.round(value)} ms`;
    print(
      `in the browser: a click works ${shown(page.interactive)} after the list has come (wanted: under 200), a typed letter shows after ${shown(page.filter)}, a facet after ${shown(page.facet)} (wanted: under 50)`,
    );
  }
  for (const what of ['copying', 'copying again, programs known by their digests:']) {
    at = performance.now();
    const run = await startCopying(app, serial, {
      apps: names.map((name) => ({ package: name, parts: ['program', 'data'] })),
      confirmed: [],
    });
    const ended = await app.engine.ended(run.id);
    const seconds = (performance.now() - at) / 1000;
    print(
      `${what} ${names.length} apps: ${seconds.toFixed(1)} s, ${(names.length / seconds).toFixed(1)} a second (wanted: 5); ${ended.outcome}`,
    );
  }
  at = performance.now();
  const kept = await app.appSheets.views(serial);
  const same = kept.filter(({ change }) => change === 'as-kept').length;
  print(`going through them as the routine does: ${ms(at)} (wanted: under 20 s), ${same} as kept`);

  const image = join(folder, 'userdata.img');
  makeImage(image);
  const set = await keepImage(image);
  await app.inside.view(set, 'userdata');
  at = performance.now();
  const taking = await startTakingOut(app, set, 'userdata', { packages: ['example.small7'] });
  const taken = await app.engine.ended(taking.id);
  print(`one app out of a kept image of 4 GiB: ${ms(at)} (wanted: under 3 s); ${taken.outcome}`);
} finally {
  await serving.close();
  await bench.close();
  rmSync(folder, { recursive: true, force: true });
}

function ms(since: number): string {
  return `${Math.round(performance.now() - since)} ms`;
}

/** User data of 4 GiB with the same apps, made by e2fsprogs. */
function makeImage(path: string): void {
  const root = join(folder, 'root');
  for (let i = 0; i < 200; i++) {
    const name = `example.small${i}`;
    for (const each of [`app/${name}-1`, `data/${name}`]) mkdirSync(join(root, each), { recursive: true });
    writeFileSync(join(root, `app/${name}-1/base.apk`), manyPrograms(name, i, 900_000));
    writeFileSync(join(root, `data/${name}/notes.db`), notebookDatabase(i, 100_000));
  }
  mkdirSync(join(root, 'system'));
  writeFileSync(join(root, 'system/packages.list'), list!);
  execFileSync('mke2fs', ['-q', '-t', 'ext4', '-b', '4096', '-d', root, path, '4G']);
}

async function keepImage(path: string): Promise<string> {
  const writer = new SetWriter(app.larder.shelf);
  const image = writer.image(0);
  await image.take(createReadStream(path, { highWaterMark: 1 << 20 }));
  const stored = await image.finish();
  await writer.seal();
  const id = randomUUID();
  await app.larder.add({
    id,
    label: 'four',
    note: '',
    phone: { serial, maker: 'Tidewell', model: 'Knot 3', nickname: 'Ringing hut' },
    condition: { kind: 'unknown' },
    createdAt: new Date().toISOString(),
    elapsedMs: 0,
    addedBytes: writer.addedBytes,
    images: [
      {
        partition: 'userdata',
        role: 'user-data',
        bytes: stored.bytes,
        chunkBytes: stored.chunkBytes,
        sha256: stored.sha256.toString('hex'),
        chunks: unpackChunkList(stored.chunks),
      },
    ],
  });
  return id;
}
