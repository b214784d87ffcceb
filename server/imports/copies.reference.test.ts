// Copies of apps as files that the tools of the trade made or unpacked: GNU tar, gzip, aapt, sha256sum.
import { execFileSync } from 'node:child_process';
import {
  appendFileSync,
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { CopyView } from '@keen-larder/contract/copies.ts';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import type { ImportingAppsStart } from '@keen-larder/contract/requests/imports.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { backupByHand, handmadeBackup } from '../../testing/trees/android-backups.ts';
import { isIn, openOn, serial, serveAlone, startKnot3, testFolder, until } from '../../testing/bench.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { platformBackup, platformBackupStream } from '../larder/carry/platform-backup.ts';
import { copyTar } from '../larder/copy-export.ts';
import { startCopying } from '../runs/apps/copying.ts';
import { importAppsSheet, startImportingApps } from '../runs/files/importing-apps.ts';
import { startPuttingApps } from '../runs/apps/putting-apps.ts';
import type { Serving } from '../serve.ts';

const folder = testFolder();
const framework = '/usr/share/android-framework-res/framework-res.apk';
let bench: Awaited<ReturnType<typeof startKnot3>>;
/** Where the copies were taken. */
let first: KeenLarder;
let serving: Serving;
/** Where they come to. */
let app: KeenLarder;
let imports: string;
let exported: string;
let copied: CopyView;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  first = await openOn(join(folder.path, 'home'), bench);
  await until('the system', isIn(first, 'system'));
  const parts = ['program', 'data', 'device-data'] as const;
  const { id } = await startCopying(first, serial, {
    apps: [{ package: 'example.tidebook', parts: [...parts] }],
    confirmed: [],
  });
  await first.engine.ended(id);
  [copied] = first.larder.copies.of(serial) as [CopyView];
  const bytes: Uint8Array[] = [];
  for await (const part of copyTar(first.larder, copied)) bytes.push(Uint8Array.from(part));
  exported = join(folder.path, 'tidebook.tar');
  writeFileSync(exported, Buffer.concat(bytes));
  const home = join(folder.path, 'other larder');
  serving = await serveAlone(home);
  ({ app } = serving);
  imports = join(home, 'imports');
}, 60_000);
afterAll(async () => {
  await serving.close();
  await first.close();
  await bench.close();
  folder.remove();
});

const run = (command: string, args: readonly string[], cwd: string) =>
  execFileSync(command, args, { cwd, encoding: 'utf8' });

const views = () => app.incoming.view(() => []).imports;
async function ready(id: string): Promise<ImportView> {
  await until(`${id} to be looked at`, () => views().find((each) => each.id === id)?.state === 'ready');
  return views().find((each) => each.id === id)!;
}

const phone = { maker: 'Tidewell', model: 'Knot 3', nickname: 'Elsewhere' };
const request = (view: ImportView, over: Partial<ImportingAppsStart> = {}): ImportingAppsStart => ({
  choices: view.copies.map(({ path, guess }) => ({ path, ...(guess && { package: guess }) })),
  serial: 'ELSEWHERE-1',
  phone,
  confirmed: [],
  ...over,
});
async function imported(view: ImportView, over: Partial<ImportingAppsStart> = {}): Promise<RunView> {
  const putAside = () => app.incoming.putAside(view.id);
  const { id } = await startImportingApps(app, app.incoming.batch(view.id), request(view, over), putAside);
  return app.engine.ended(id);
}
const checks = async (view: ImportView, over: Partial<ImportingAppsStart> = {}) =>
  (await importAppsSheet(app, app.incoming.batch(view.id), request(view, over))).checks;

let number = 0;
/** A folder that is filled elsewhere and then comes as a whole. */
async function brought(fill: (folder: string) => void): Promise<ImportView> {
  const id = `brought ${++number}`;
  const elsewhere = join(folder.path, id);
  mkdirSync(elsewhere);
  fill(elsewhere);
  cpSync(elsewhere, join(imports, id), { recursive: true });
  return ready(id);
}
const unpacked = (into: string): string => {
  run('tar', ['-xf', exported, '-C', into], into);
  return join(into, `example.tidebook-${copied.app.versionCode}`);
};

describe('an exported copy', () => {
  it('comes back as it was, from the archive as it is', async () => {
    cpSync(exported, join(imports, 'tidebook.tar'));
    const view = await ready('tidebook.tar');
    expect(view.images).toEqual([]);
    expect(view.copies).toHaveLength(1);
    expect(view.copies[0]!.app).toEqual(copied.app);
    expect((await checks(view)).map(({ id, severity }) => `${severity} ${id}`)).toEqual([
      'good checksums-beside',
    ]);
    const ended = await imported(view, { serial: copied.serial });
    expect(ended.state).toBe('done');
    expect(ended.outcome).toMatch(/^One copy, .* The files now lie in /);
    const [kept] = app.larder.copies.list();
    expect(kept!.parts).toEqual(copied.parts);
    expect([kept!.app, kept!.createdAt, kept!.origin]).toEqual([copied.app, copied.createdAt, 'imported']);
    expect(existsSync(join(imports, 'tidebook.tar'))).toBe(false);
  });

  it('comes back unpacked, and goes onto the phone', async () => {
    const view = await brought((into) => void unpacked(into));
    const serves = join(folder.path, 'home', 'imports');
    cpSync(join(imports, view.id), join(serves, view.id), { recursive: true });
    const there = () => first.incoming.view(() => []).imports.find(({ id }) => id === view.id);
    await until('it to be found', () => there()?.state === 'ready');
    const { id } = await startImportingApps(
      first,
      first.incoming.batch(view.id),
      request(there()!, { serial }),
      () => first.incoming.putAside(view.id),
    );
    expect((await first.engine.ended(id)).state).toBe('done');
    const kept = first.larder.copies.of(serial).find(({ origin }) => origin === 'imported')!;
    const putting = await startPuttingApps(first, serial, {
      copies: [{ copyId: kept.id, parts: ['program', 'data', 'device-data'] }],
      confirmed: [],
      armedWith: serial.slice(-4),
    });
    expect((await first.engine.ended(putting.id)).outcome).toMatch(/^One app is in place and proved/);
  }, 60_000);

  it('of which a file is another is not kept, and the others are', async () => {
    const view = await brought((into) => {
      const [good, bad] = ['good', 'bad'].map((name) => join(into, name)) as [string, string];
      for (const each of [good, bad]) {
        mkdirSync(each);
        unpacked(each);
      }
      const within = join(bad, `example.tidebook-${copied.app.versionCode}`);
      rmSync(join(within, 'SHA256SUMS'));
      rmSync(join(within, 'MD5SUMS'));
      const data = readFileSync(join(within, 'data.tar'));
      data[data.length - 20_000]! ^= 1;
      writeFileSync(join(within, 'data.tar'), data);
    });
    const before = app.larder.copies.list().length;
    const ended = await imported(view);
    expect(ended.state).toBe('incomplete');
    expect(ended.steps.map(({ state }) => state).sort()).toEqual(['done', 'failed']);
    expect(ended.steps.find(({ state }) => state === 'failed')!.result).toMatch(
      /data\.tar is (not what its description says|no whole archive)/,
    );
    expect(ended.outcome).toMatch(/^Tidebook was not kept\. One copy.*The files stay where they are\.$/);
    expect(app.larder.copies.list()).toHaveLength(before + 1);
  });

  it('whose checksum file speaks against it says which file', async () => {
    const view = await brought((into) => {
      const within = unpacked(into);
      appendFileSync(join(within, 'SHA256SUMS'), `${'0'.repeat(64)}  base.apk\n`);
    });
    const ended = await imported(view);
    expect(ended.steps[0]!.result).toMatch(/base\.apk is not as its checksum file says/);
  });

  it('without one of its files, or with another program, cannot be picked', async () => {
    const view = await brought((into) => {
      rmSync(join(unpacked(into), 'device-data.tar'));
    });
    expect(view.copies[0]!.fault).toMatch(/device-data\.tar is missing/);
    expect((await checks(view)).find(({ severity }) => severity === 'stop')).toMatchObject({
      id: 'content-differs',
      title: 'Tidebook cannot be kept as it came',
    });
    await expect(imported(view)).rejects.toThrow(/device-data\.tar is missing/);
    const strange = await brought((into) => cpSync(framework, join(unpacked(into), 'extra.apk')));
    expect(strange.copies[0]!.fault).toMatch(/a program of another app/);
  });

  it('whose description is no such thing says what is wrong with it', async () => {
    const view = await brought((into) => {
      const path = join(unpacked(into), 'APP.json');
      const value = JSON.parse(readFileSync(path, 'utf8')) as { app: Record<string, unknown> };
      value.app['package'] = '../../evil';
      writeFileSync(path, JSON.stringify(value));
    });
    expect(view.fault).toMatch(/APP\.json: its app\.package is not what it should be/);
  });
});

describe('plain files', () => {
  it('are an app by its APK alone, with no grants of its own', async () => {
    cpSync(framework, join(imports, 'framework-res.apk'));
    const view = await ready('framework-res.apk');
    const badging = run('aapt', ['dump', 'badging', framework], folder.path);
    const [, name, code] = /package: name='([^']+)' versionCode='(\d+)'/.exec(badging)!;
    expect(view.copies).toMatchObject([
      { app: { package: name, versionCode: Number(code), permissions: [] } },
    ]);
    const ids = (await checks(view)).map(({ id }) => id);
    expect(ids).toEqual(expect.arrayContaining(['no-description', 'checksums-beside']));
    const ended = await imported(view);
    expect(ended.state).toBe('done');
    const kept = app.larder.copies.list().find((each) => each.app.package === name)!;
    expect(kept.parts.map(({ name: part, bytes }) => [part, bytes])).toEqual([
      ['base.apk', readFileSync(framework).length],
    ]);
  });

  it('are its data as well where an archive of its folder lies beside it', async () => {
    const view = await brought((into) => {
      cpSync(join(unpacked(into), 'base.apk'), join(into, 'Tidebook 4.0.apk'));
      rmSync(join(into, `example.tidebook-${copied.app.versionCode}`), { recursive: true });
      const files = join(into, '..', `files of ${number}`);
      mkdirSync(join(files, 'databases'), { recursive: true });
      writeFileSync(join(files, 'databases', 'a.db'), 'rows');
      run('tar', ['--owner=10061', '--group=10061', '-cf', join(into, 'example.tidebook.tar'), '.'], files);
      run('gzip', ['example.tidebook.tar'], into);
      writeFileSync(
        join(into, 'SHA256SUMS'),
        run('sha256sum', ['Tidebook 4.0.apk', 'example.tidebook.tar.gz'], into),
      );
    });
    expect(view.copies).toHaveLength(1);
    const [copy] = view.copies;
    expect(copy!.parts.map(({ name, kind }) => [name, kind])).toEqual([
      ['base.apk', 'program'],
      ['data.tar', 'data'],
    ]);
    expect(copy!.app).toMatchObject({ package: 'example.tidebook', uid: 10061, label: 'Tidebook' });
    const ended = await imported(view);
    expect(ended.state).toBe('done');
    const kept = app.larder.copies.list()[0]!;
    expect(kept.app.stamp).toBeDefined();
  });

  it('of data alone need an app that is known', async () => {
    const view = await brought((into) => {
      mkdirSync(join(folder.path, 'alone'));
      writeFileSync(join(folder.path, 'alone', 'a.txt'), 'note');
      for (const name of ['example.tidebook.tar', 'somebody.tar', 'example.nobody.tar'])
        run(
          'tar',
          ['--owner=10061', '--group=10061', '-cf', join(into, name), '.'],
          join(folder.path, 'alone'),
        );
    });
    expect(view.copies.map(({ path, guess, app: known }) => [path, guess, known])).toEqual([
      ['example.nobody.tar', 'example.nobody', undefined],
      ['example.tidebook.tar', 'example.tidebook', undefined],
      ['somebody.tar', undefined, undefined],
    ]);
    const stops = (await checks(view)).filter(({ severity }) => severity === 'stop');
    expect(stops.map(({ title }) => title)).toEqual(['example.nobody is not known here', 'Of which app?']);
    await expect(imported(view)).rejects.toThrow(/Of which app\?/);
    const choices = view.copies.slice(1).map(({ path }) => ({ path, package: 'example.tidebook' }));
    const ended = await imported(view, { choices });
    expect(ended.state).toBe('done');
    expect(app.larder.copies.list()[0]!).toMatchObject({
      app: { label: 'Tidebook', versionCode: copied.app.versionCode, permissions: [] },
      parts: [{ name: 'data.tar' }],
    });
  });

  it('of splits need their base', async () => {
    const view = await brought((into) => {
      cpSync(framework, join(into, 'one.apk'));
      cpSync(framework, join(into, 'two.apk'));
    });
    expect(view.copies[0]!.fault).toMatch(/is there twice/);
  });

  it('beside images stay where they are, until both were taken in', async () => {
    const view = await brought((into) => {
      cpSync(framework, join(into, 'one.apk'));
      writeFileSync(join(into, 'boot.img'), Buffer.alloc(4096, 7));
    });
    expect([view.images.length, view.copies.length]).toEqual([1, 1]);
    const ended = await imported(view);
    expect(ended.outcome).toMatch(/The files stay where they are: there are images among them\.$/);
    expect(existsSync(join(imports, view.id, 'boot.img'))).toBe(true);
  });
});

describe('a backup of the platform’s own', () => {
  /** Folders of an app's data, and how a backup calls them (AOSP, FullBackup.java). */
  const tokens = { files: 'f', databases: 'db', shared_prefs: 'sp', no_backup: 'nb' } as const;
  const name = 'example.tidebook';
  let tar: Buffer;

  beforeAll(() => {
    const root = join(folder.path, 'backup');
    const own = join(root, 'apps', name);
    mkdirSync(join(own, 'a'), { recursive: true });
    const copy = unpacked(root);
    const lines = ['1', name, `${copied.app.versionCode}`, '30', 'example.store', '1', '1', 'abcd', ''];
    writeFileSync(join(own, '_manifest'), lines.join('\n'));
    cpSync(join(copy, 'base.apk'), join(own, 'a', 'base.apk'));
    for (const [archive, before] of [
      ['data.tar', ''],
      ['device-data.tar', 'd_'],
    ] as const) {
      const into = join(root, archive);
      mkdirSync(into);
      run('tar', ['-xf', join(copy, archive), '-C', into], root);
      for (const [from, token] of Object.entries(tokens))
        if (existsSync(join(into, from)))
          cpSync(join(into, from), join(own, `${before}${token}`), { recursive: true });
    }
    // A phone passes links over.
    run('find', [own, '-type', 'l', '-delete'], root);
    mkdirSync(join(root, 'shared/0/DCIM'), { recursive: true });
    writeFileSync(join(root, 'shared/0/DCIM/one.jpg'), 'picture');
    const owned = [`--owner=${copied.app.uid}`, `--group=${copied.app.uid}`, '--numeric-owner'];
    const rest = readdirSync(own)
      .filter((each) => each !== '_manifest')
      .map((each) => `apps/${name}/${each}`);
    const order = [`apps/${name}/_manifest`, ...rest, 'shared'];
    tar = execFileSync(
      'tar',
      ['--format=pax', '--hard-dereference', ...owned, '-cf', '-', '-C', root, ...order],
      {
        maxBuffer: 1 << 28,
      },
    );
  });

  it('becomes copies, and goes onto the phone', async () => {
    const home = join(folder.path, 'home', 'imports');
    writeFileSync(join(home, 'backup.ab'), handmadeBackup(tar));
    const there = () => first.incoming.view(() => []).imports.find(({ id }) => id === 'backup.ab');
    await until('it to be found', () => there()?.state === 'ready');
    const view = there()!;
    expect(view.said.join(' ')).toMatch(
      /^Not taken in: shared storage \(one file, 7 B\)\. Keep backup\.ab for that\.$/,
    );
    expect(view.copies).toHaveLength(1);
    expect(view.copies[0]).toMatchObject({
      parts: [{ name: 'base.apk' }, { name: 'data.tar' }, { name: 'device-data.tar' }],
      app: { package: name, label: 'Tidebook', installer: 'example.store', sdk: 30, uid: copied.app.uid },
    });
    const { id } = await startImportingApps(
      first,
      first.incoming.batch('backup.ab'),
      request(view, { serial }),
      () => first.incoming.putAside('backup.ab'),
    );
    expect((await first.engine.ended(id)).state).toBe('done');
    const [kept] = first.larder.copies
      .of(serial)
      .filter(({ app: { installer } }) => installer === 'example.store');
    const putting = await startPuttingApps(first, serial, {
      copies: [{ copyId: kept!.id, parts: ['program', 'data', 'device-data'] }],
      confirmed: [],
      armedWith: serial.slice(-4),
    });
    expect((await first.engine.ended(putting.id)).outcome).toMatch(/^One app is in place and proved/);
  }, 60_000);

  it('is asked for its passphrase', async () => {
    writeFileSync(
      join(imports, 'locked.ab'),
      handmadeBackup(tar, { passphrase: Buffer.from('sea lavender') }),
    );
    const view = await ready('locked.ab');
    expect(view).toMatchObject({ locked: ['locked.ab'], copies: [] });
    expect(view.images[0]!.fault).toBe(
      'It is encrypted with a passphrase. Give the passphrase to look into it.',
    );
    await expect(app.incoming.unlock('locked.ab', 'Sea lavender')).rejects.toThrow(
      'This passphrase does not open locked.ab. Upper and lower case differ.',
    );
    expect((await ready('locked.ab')).locked).toEqual(['locked.ab']);
    await app.incoming.unlock('locked.ab', 'sea lavender');
    const opened = await ready('locked.ab');
    expect([opened.locked, opened.copies.map((each) => each.app?.label)]).toEqual([[], ['Tidebook']]);
    expect((await imported(opened)).state).toBe('done');
  });

  it('without programs is known by what it says itself', async () => {
    const root = join(folder.path, 'bare');
    mkdirSync(join(root, 'apps/example.bare/f'), { recursive: true });
    mkdirSync(join(root, 'apps/example.bare/ef'), { recursive: true });
    writeFileSync(join(root, 'apps/example.bare/_manifest'), '1\nexample.bare\n7\n28\n\n0\n1\nabcd\n');
    writeFileSync(join(root, 'apps/example.bare/f/one'), '1');
    writeFileSync(join(root, 'apps/example.bare/ef/two'), '2');
    const order = ['_manifest', 'f', 'ef'].map((each) => `apps/example.bare/${each}`);
    const owned = ['--owner=10061', '--group=10061'];
    const bare = execFileSync('tar', ['--format=pax', ...owned, '-cf', '-', '-C', root, ...order]);
    writeFileSync(join(imports, 'bare.ab'), handmadeBackup(bare, { packed: false }));
    const view = await ready('bare.ab');
    const sha256 = createHash('sha256').update(Buffer.from('abcd', 'hex')).digest('hex');
    expect(view.copies).toMatchObject([
      {
        app: {
          package: 'example.bare',
          label: 'example.bare',
          versionCode: 7,
          sdk: 28,
          certificates: [sha256],
        },
        parts: [{ name: 'data.tar' }, { name: 'external.tar' }],
      },
    ]);
    const alone = (await checks(view)).find(({ id }) => id === 'data-without-program');
    expect(alone!.sentence).toBe('The data of example.bare can go back only where the app is installed.');
    expect((await imported(view)).state).toBe('done');
  });

  it('is made of copies, as a reader by hand has it, with who signed the app as openssl reads it', async () => {
    const backup = await platformBackup(first.larder, [copied.id]);
    expect(backup.name).toBe('Tidebook.ab');
    const parts: Uint8Array[] = [];
    for await (const part of platformBackupStream(backup)) parts.push(Uint8Array.from(part));
    const root = join(folder.path, 'made');
    mkdirSync(root);
    execFileSync('tar', ['-xf', '-', '-C', root], { input: backupByHand(Buffer.concat(parts)) });
    const made = join(root, 'apps', name);
    const told = readFileSync(join(made, '_manifest'), 'utf8').split('\n');
    expect(told.slice(0, 3)).toEqual(['1', name, `${copied.app.versionCode}`]);
    expect(told.slice(5, 7)).toEqual(['1', '1']);
    const certificate = Buffer.from(told[7]!, 'hex');
    const printed = execFileSync('openssl', ['x509', '-inform', 'der', '-noout', '-fingerprint', '-sha256'], {
      input: certificate,
      encoding: 'utf8',
    });
    expect(copied.app.certificates).toEqual([
      printed.split('=')[1]!.trim().replaceAll(':', '').toLowerCase(),
    ]);
    const copy = unpacked(root);
    const digestOf = (path: string) => createHash('sha256').update(readFileSync(path)).digest('hex');
    expect(digestOf(join(made, 'a/base.apk'))).toBe(digestOf(join(copy, 'base.apk')));
    const data = join(root, 'data');
    mkdirSync(data);
    run('tar', ['-xf', join(copy, 'data.tar'), '-C', data], root);
    const files = (where: string) =>
      run('find', ['.', '-type', 'f', '-print0'], where).split('\0').filter(Boolean).sort();
    for (const [from, token] of Object.entries(tokens)) {
      if (!existsSync(join(data, from))) continue;
      const own = files(join(data, from));
      expect(files(join(made, token))).toEqual(own);
      for (const path of own)
        expect(digestOf(join(made, token, path)), path).toBe(digestOf(join(data, from, path)));
    }
  });

  it('is not made where nobody can tell who signed the app', async () => {
    const bare = app.larder.copies.list().find((each) => each.app.package === 'example.bare')!;
    await expect(platformBackup(app.larder, [bare.id])).rejects.toThrow(
      /no program of example\.bare is in the larder to tell/,
    );
  });

  it('that is damaged is refused by name', async () => {
    writeFileSync(join(imports, 'cut.ab'), handmadeBackup(tar).subarray(0, 50_000));
    expect((await ready('cut.ab')).images[0]!.fault).toMatch(/^It cannot be read: Android backup: data/);
  });
});
