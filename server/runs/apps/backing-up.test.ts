// Apps of a phone without root: their programs as ever, their data as the phone's own backup gives it once somebody agreed.
import { execFileSync, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { addressesOf } from '@keen-larder/demo/standins.ts';
import type { PracticeBench } from '@keen-larder/standin/bench.ts';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import { commandTable } from '@keen-larder/standin/shell/commands.ts';
import type { Command } from '@keen-larder/standin/shell/host.ts';
import { editTree } from '@keen-larder/standin/flash/file-tree.ts';
import { quick, startPhones, testFolder, until } from '../../../testing/bench.ts';
import { openKeenLarder, type KeenLarder } from '../../keen-larder.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { startCopying } from './copying.ts';
import { startPuttingApps } from './putting-apps.ts';

const folder = testFolder();
const sedge = 'MS10-70055';
let bench: PracticeBench;
let phone: Phone;
let app: KeenLarder;

beforeAll(async () => {
  bench = await startPhones(join(folder.path, 'phones'), [sedge]);
  [phone] = bench.phones as [Phone];
  app = await openKeenLarder({
    ...quick,
    home: join(folder.path, 'larder'),
    addresses: addressesOf(phone.state()),
  });
  await until('the system', () => app.bench.linkIn(sedge, 'system') !== undefined);
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const everything: PartKind[] = ['program', 'data', 'device-data'];
const apps = (names: readonly string[], parts = everything) =>
  names.map((name) => ({ package: name, parts }));
async function copy(names: readonly string[], confirmed: readonly string[] = [], backupPassword?: string) {
  const secret = backupPassword === undefined ? {} : { backupPassword };
  const { id } = await startCopying(app, sedge, { apps: apps(names), confirmed: [...confirmed], ...secret });
  return app.engine.ended(id);
}
const found = async () => (await app.appSheets.views(sedge)).filter(({ installed }) => !installed!.isBuiltIn);
const keptOf = (name: string) => app.larder.copies.of(sedge).filter((each) => each.app.package === name);

/** Files in an archive of a copy, by GNU tar. */
async function filesIn(copyId: string, part: string): Promise<Map<string, string>> {
  const into = join(folder.path, `${copyId} ${part}`);
  mkdirSync(into);
  const parts: Uint8Array[] = [];
  for await (const each of readImage(app.larder.shelf, app.larder.copies.part(copyId, part)))
    parts.push(Uint8Array.from(each));
  execFileSync('tar', ['-xf', '-', '-C', into], { input: Buffer.concat(parts) });
  const paths = execFileSync('find', ['.', '-type', 'f', '-print0'], { cwd: into, encoding: 'utf8' });
  return new Map(
    paths
      .split('\0')
      .filter(Boolean)
      .map((path) => [path.slice(2), sha256(readFileSync(join(into, path)))]),
  );
}
const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

/** Files of an app's data on the flash, but what no backup holds. */
async function filesOnFlash(root: string): Promise<Map<string, string>> {
  const fs = await openFileSystem(phone.flash.partition('userdata')!);
  const files = new Map<string, string>();
  const walk = async (path: string) => {
    const inode = (await fs.findSelf(`${root}${path}`))!;
    if (inode.type === 'file') {
      const parts: Uint8Array[] = [];
      for await (const part of fs.content(inode)) parts.push(part.slice());
      files.set(path.slice(1), sha256(Buffer.concat(parts)));
    }
    if (inode.type !== 'directory') return;
    for (const { name } of await fs.list(inode))
      if (path !== '' || !['cache', 'code_cache', 'no_backup', 'lib'].includes(name))
        await walk(`${path}/${name}`);
  };
  await walk('');
  return files;
}

it('copies programs and data, once somebody agreed on the screen', async () => {
  const [one] = (await found()).filter(({ installed }) => installed!.allowsBackup);
  const name = one!.package;
  const sheet = await app.appSheets.copying(sedge, { apps: apps([name]) });
  expect(sheet.checks.find(({ id }) => id === 'through-backup')).toMatchObject({ severity: 'note' });
  phone.trusting = false;
  try {
    const copying = copy([name]);
    await until('the question on the screen', () => phone.state().question === 'backup');
    const [run] = app.engine.list().filter(({ state }) => state === 'waiting');
    expect(run!.waitingFor).toMatch(/agree to the backup on its screen, without a password/);
    await phone.answerAsking(true);
    const ended = await copying;
    expect(ended.state).toBe('done');
    expect(ended.outcome).toMatch(/^One app copied/);
  } finally {
    phone.trusting = true;
  }
  const [kept] = keptOf(name);
  expect(kept!.app.isAsGiven).toBe(true);
  expect(kept!.parts.map((part) => part.name)).toContain('data.tar');
  const onFlash = await filesOnFlash(`/data/${name}`);
  expect(onFlash.size).toBeGreaterThan(0);
  expect(await filesIn(kept!.id, 'data.tar')).toEqual(onFlash);
}, 60_000);

/** Copies while somebody types a password on the screen. */
async function copyWith(name: string, typed: string, told: string | undefined) {
  phone.trusting = false;
  try {
    const copying = copy([name], [], told);
    await until('the question on the screen', () => phone.state().question === 'backup');
    const [run] = app.engine.list().filter(({ state }) => state === 'waiting');
    const { waitingFor } = run!;
    await phone.answerAsking(true, typed);
    return { ended: await copying, waitingFor };
  } finally {
    phone.trusting = true;
  }
}
const secret = 'Samphire & Düne 7';

it('opens what a password closed that was typed on the screen, and keeps that nowhere', async () => {
  const name = (await found()).find(({ installed }) => installed!.allowsBackup)!.package;
  const { ended, waitingFor } = await copyWith(name, secret, secret);
  expect(waitingFor).toMatch(/with the password that was told here/);
  expect(ended.state, ended.outcome).toBe('done');
  const [kept] = keptOf(name);
  expect(await filesIn(kept!.id, 'data.tar')).toEqual(await filesOnFlash(`/data/${name}`));
  const grepped = spawnSync('grep', ['-raF', secret, join(folder.path, 'larder')]);
  expect(grepped.status, grepped.stdout.toString()).toBe(1);
}, 60_000);

it.each([
  ['none is told', undefined, /leave it empty there, or tell it here as well/],
  ['another is told', 'Sea lavender', /does not open what the phone gave/],
])(
  'keeps nothing of what a password closed where %s',
  async (_what, told, words) => {
    const name = (await found()).find(({ installed }) => installed!.allowsBackup)!.package;
    const before = app.larder.copies.of(sedge).length;
    const { ended } = await copyWith(name, secret, told);
    expect(ended.state).toBe('failed');
    expect(ended.outcome).toMatch(words);
    expect(app.larder.copies.of(sedge)).toHaveLength(before);
  },
  60_000,
);

it('keeps nothing where somebody refuses, and says so', async () => {
  const [one] = (await found()).filter(({ installed }) => installed!.allowsBackup);
  const before = app.larder.copies.of(sedge).length;
  phone.trusting = false;
  try {
    const copying = copy([one!.package]);
    await until('the question on the screen', () => phone.state().question === 'backup');
    await phone.answerAsking(false);
    const ended = await copying;
    expect(ended.state).toBe('failed');
    expect(ended.outcome).toMatch(/gave no backup: somebody refused on its screen/);
  } finally {
    phone.trusting = true;
  }
  expect(app.larder.copies.of(sedge)).toHaveLength(before);
}, 60_000);

it('keeps the program alone of an app that forbids backups, and wants a tick for it', async () => {
  const silent = (await found()).find(({ installed }) => !installed!.allowsBackup)!;
  await expect(copy([silent.package])).rejects.toThrow(/One app gives no data/);
  const ended = await copy([silent.package], ['gives-no-backup']);
  expect(ended.state).toBe('done');
  const [kept] = keptOf(silent.package);
  expect(kept!.parts.map(({ kind }) => kind)).toEqual(['program']);
  expect(kept!.app.isAsGiven).toBeUndefined();
}, 60_000);

/** Puts the newest copy's data back as a backup of the phone's own. */
async function putBack(name: string, parts: PartKind[] = ['data', 'device-data']) {
  const copies = [{ copyId: keptOf(name)[0]!.id, parts }];
  const { id } = await startPuttingApps(app, sedge, {
    copies,
    through: 'backup',
    confirmed: ['battery'],
    armedWith: sedge.slice(-4),
  });
  return app.engine.ended(id);
}

it('puts data back that was lost, and compares it with what the phone gives again', async () => {
  const name = 'example.almanac';
  const root = `/data/${name}`;
  const kept = await filesOnFlash(root);
  await editTree(phone.flash.partition('userdata')!, {
    removes: (path) => path.startsWith(`${root}/files`) || path.startsWith(`${root}/shared_prefs`),
  });
  await phone.start('system');
  await until('the system', () => app.bench.linkIn(sedge, 'system') !== undefined);
  expect(await filesOnFlash(root)).not.toEqual(kept);
  const { checks, steps } = await app.appSheets.putting(sedge, {
    copies: [{ copyId: keptOf(name)[0]!.id, parts: ['data', 'device-data'] }],
    through: 'backup',
  });
  expect(checks.find(({ id }) => id === 'through-backup')!.title).toBe('The phone asks on its screen, twice');
  expect(checks.find(({ id }) => id === 'data-replaced')!.sentence).toMatch(/cannot be taken back/);
  expect(steps.map(({ kind }) => kind)).toEqual(['hand-over', 'set-state']);
  const ended = await putBack(name);
  expect(ended.outcome).toMatch(/^One app is in place and proved/);
  expect(ended.steps[0]!.result).toMatch(/files in place, as the phone gives them again$/);
  expect(await filesOnFlash(root)).toEqual(kept);
}, 60_000);

it('does not say that data is in place where somebody refused', async () => {
  phone.trusting = false;
  try {
    const name = 'example.almanac';
    await editTree(phone.flash.partition('userdata')!, {
      removes: (path) => path.startsWith(`/data/${name}/files`),
    });
    const running = putBack(name);
    await until('the first question', () => phone.state().question === 'restore');
    await phone.answerAsking(false);
    await until('the second question', () => phone.state().question === 'backup');
    await phone.answerAsking(true);
    const ended = await running;
    expect(ended.state).not.toBe('done');
    expect(ended.steps[0]!.result).toMatch(/did not come back as kept: the phone took none of it/);
    expect(ended.outcome).toMatch(/what data the phone has of it now is not known\. 0 apps are in place/);
    expect(ended.outcome).not.toMatch(/as before/);
  } finally {
    phone.trusting = true;
  }
}, 60_000);

it.each([
  ['ANDROID BACKUP\n5\n1\nnone\nno zlib', /cannot be read \(Android backup: data/],
  [
    'ANDROID BACKUP\n5\n1\nAES-256\nAB\nAB\n10\n' + `${'AB'.repeat(16)}\n${'AB'.repeat(32)}\n`,
    /leave it empty there/,
  ],
])('keeps nothing of a backup that cannot be read', async (given, words) => {
  const table = commandTable as Record<string, Command>;
  const own = table['bu']!;
  table['bu'] = async (process) => {
    await process.out(Buffer.from(given));
    return 0;
  };
  try {
    const before = app.larder.copies.of(sedge).length;
    const ended = await copy(['example.almanac']);
    expect(ended.state).toBe('failed');
    expect(ended.outcome).toMatch(words);
    expect(app.larder.copies.of(sedge)).toHaveLength(before);
  } finally {
    table['bu'] = own;
  }
});
