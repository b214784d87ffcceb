// Names of files within images, and what is found by them; judged by `find` and `sha256sum` of the trees from which mke2fs made
// the images, and by `grep` of the index's file.
import { execFileSync, spawnSync } from 'node:child_process';
import { chmodSync, createReadStream, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { LarderBench, type OpenLarder } from '../../../testing/larder.ts';
import { nameStatements, type NameStatements } from '../../database/names/names.ts';
import { copyStatements } from '../../database/copies.ts';
import { aloneStatements, offsiteStatements } from '../../database/offsite/offsite.ts';
import { phoneStatements } from '../../database/phones.ts';
import { setStatements } from '../../database/sets.ts';
import { settingStatements } from '../../database/shelves.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import { Inside } from '../inside/inside.ts';
import { Finding } from './finding.ts';
import { NameIndex } from './name-index.ts';

let bench: LarderBench;
let open: OpenLarder;
let names: NameStatements;
let index: NameIndex;
let finding: Finding;
const path = () => join(bench.folder.path, 'names.sqlite');

function begin(): void {
  names = nameStatements(path());
  const { larder, database } = open;
  const [sets, phones] = [setStatements(database), phoneStatements(database)];
  const [settings, copies] = [settingStatements(database), copyStatements(database)];
  const alone = aloneStatements(database);
  const inside = new Inside(larder);
  index = new NameIndex({ names, sets, copies, alone, settings, inside, isBusy: () => false });
  finding = new Finding({ larder, names, sets, alone, phones, copies });
}

beforeEach(async () => {
  bench = new LarderBench();
  open = await bench.open();
  begin();
});
afterEach(async () => {
  await index.stop();
  names.close();
  await bench.close();
});

const run = (command: string, ...args: string[]) =>
  execFileSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 28, stdio: ['ignore', 'pipe', 'ignore'] });

/** A tree with so many files, and the image that mke2fs makes of it. */
function made(name: string, files: number): { readonly tree: string; readonly image: Buffer } {
  const tree = join(bench.folder.path, name);
  for (const folder of ['etc/security', 'app/Tidebook', 'lib64/hw'])
    mkdirSync(join(tree, folder), { recursive: true });
  writeFileSync(join(tree, 'build.prop'), `ro.build.id=${name}\n`);
  writeFileSync(join(tree, 'etc/hosts'), '127.0.0.1 localhost\n');
  writeFileSync(join(tree, 'app/Tidebook/Tidebook.apk'), Buffer.alloc(70_000, name));
  writeFileSync(join(tree, 'etc/security/Ölstand 100%_ß.txt'), 'voll');
  for (let i = 0; i < files; i++)
    writeFileSync(join(tree, 'lib64', i % 2 ? 'hw' : '.', `lib${name}-${i}.so`), `${name} ${i}\n`);
  chmodSync(join(tree, 'etc/hosts'), 0o600);
  const image = join(bench.folder.path, `${name}.img`);
  writeFileSync(image, '');
  run('truncate', '-s', '24M', image);
  run('mke2fs', '-q', '-F', '-t', 'ext4', '-b', '4096', '-d', tree, image);
  return { tree, image: readFileSync(image) };
}

const filesOf = (text: string) => finding.find(text).files.found;
const pathsOf = (text: string) => filesOf(text).map((file) => file.path);

it('finds files by their names, by paths and by checksums, as find and sha256sum have them', async () => {
  const { tree, image } = made('march', 900);
  const id = await bench.keep(open, 'In march', { system: image, boot: Buffer.alloc(5000, 'no tree') });
  await index.readAll();
  expect(index.view()).toMatchObject({ trees: 1, unread: 0, faults: 0, userData: false });
  const listed = run('find', tree, '-mindepth', '1', '-printf', '/%P\\n').trim().split('\n');
  // mke2fs adds this one.
  expect(index.view().files).toBe(listed.length + 1);

  const wanted = listed.filter((each) => each.endsWith('-7.so'));
  expect(pathsOf('march-7.so').sort()).toEqual(wanted.sort());
  for (const each of ['build.prop', 'uild.pr', 'BUILD.PROP', 'bu'])
    expect(pathsOf(each)).toContain('/build.prop');
  expect(pathsOf('build.prop')[0]).toBe('/build.prop');
  expect(pathsOf('security/Ölstand')).toEqual(['/etc/security/Ölstand 100%_ß.txt']);
  expect(pathsOf('100%_ß')).toEqual(['/etc/security/Ölstand 100%_ß.txt']);
  expect(pathsOf('tidebook app')).toEqual(['/app/Tidebook', '/app/Tidebook/Tidebook.apk']);
  expect(pathsOf('lib64/hw')).toEqual(['/lib64/hw']);
  expect(finding.find('march').files.isCut).toBe(true);
  expect(pathsOf('"quoted" OR *')).toEqual([]);

  for (const each of ['build.prop', 'etc/hosts', 'app/Tidebook/Tidebook.apk']) {
    const [digest] = run('sha256sum', join(tree, each)).split(' ');
    for (const prefix of [digest!, digest!.slice(0, 12).toUpperCase()]) {
      const [file] = filesOf(prefix);
      expect(file).toMatchObject({ path: `/${each}`, sha256: digest, partition: 'system', sets: [{ id }] });
    }
  }
});

it('names every set that has a file, one by one where its content differs, and none that is in the bin', async () => {
  const [march, april] = [made('march', 4), made('april', 4)];
  const first = await bench.keep(open, 'First', { system: march.image });
  const second = await bench.keep(open, 'Second', { system: march.image });
  const third = await bench.keep(open, 'Third', { system: april.image });
  await index.readAll();
  const builds = () =>
    filesOf('build.prop')
      .map(({ sets }) => sets.map(({ label }) => label))
      .sort((a, b) => a.length - b.length);
  expect(builds()).toEqual([['Third'], ['Second', 'First']]);
  expect(filesOf('hosts').map(({ sets }) => sets.length)).toEqual([3]);
  await open.larder.change(second, { binned: true });
  expect(builds()).toEqual(expect.arrayContaining([['Third'], ['First']]));
  await open.larder.change(third, { binned: true });
  expect(builds()).toEqual([['First']]);
  expect(first).toBe(filesOf('build.prop')[0]!.sets[0]!.id);
});

it('finds sets by label, note, phone and build, and sets and images by the beginning of a checksum', async () => {
  const id = await bench.keep(open, 'Before the ÜBERSPRUNG', { boot: Buffer.alloc(5000, 'a') });
  await open.larder.change(id, { note: 'For 50% off, said the customer' });
  for (const text of ['before', 'übersprung', '50% customer', 'ringing hut', 'TW3K', 'knot 3'])
    expect([text, finding.find(text).sets.found.map((set) => set.id)]).toEqual([text, [id]]);
  expect(finding.find('50_').sets.found).toEqual([]);
  expect(finding.find('before after').sets.found).toEqual([]);
  expect(finding.find('tidewell').phones.found).toMatchObject([{ serial: 'TW3K-10482' }]);
  const { fingerprint, images } = open.larder.detail(id);
  expect(finding.find(fingerprint.slice(0, 8)).sets.found).toMatchObject([{ id, fingerprint }]);
  expect(finding.find(images[0]!.sha256.slice(0, 9)).images.found).toMatchObject([
    { setId: id, partition: 'boot', sha256: images[0]!.sha256 },
  ]);
  expect(finding.find('   ')).toEqual({
    ...Object.fromEntries(
      ['phones', 'sets', 'images', 'apps', 'files'].map((kind) => [kind, { found: [], isCut: false }]),
    ),
  });
});

it('writes down names within user data only where it is told to, and removes them for good', async () => {
  const { image } = made('april', 40);
  await bench.keep(open, 'All of it', { userdata: image });
  await index.readAll();
  expect(pathsOf('build.prop')).toEqual([]);
  index.change(true);
  await index.readAll();
  expect(pathsOf('libapril-7.so')).toEqual(['/lib64/hw/libapril-7.so']);
  const isThere = () => {
    run('sqlite3', path(), 'PRAGMA wal_checkpoint(TRUNCATE)');
    return spawnSync('grep', ['-qa', 'libapril-7', path()]).status === 0;
  };
  expect(isThere()).toBe(true);
  index.change(false);
  await index.readAll();
  expect(pathsOf('libapril-7.so')).toEqual([]);
  expect(isThere()).toBe(false);
});

it('finds files in folders of apps that were copied, where names of user data are written down', async () => {
  const { tree } = made('tidebook', 20);
  const tar = join(bench.folder.path, 'data.tar');
  run('tar', '-cf', tar, '-C', tree, '.');
  const { larder, shelf } = open;
  const id = await larder.whileWriting(async () => {
    const writer = new SetWriter(shelf);
    const image = writer.image(0);
    await image.take(createReadStream(tar));
    const stored = await image.finish();
    await writer.seal();
    return larder.copies.add({
      phone: { serial: 'TW3K-10482', maker: 'Tidewell', model: 'Knot 3', nickname: 'Ringing hut' },
      createdAt: bench.clock.wall,
      addedBytes: 0,
      facts: {
        ...{ package: 'example.tidebook', label: 'Tidebook', versionCode: 1, uid: 10_001, abis: [] },
        ...{ certificates: [], isBuiltIn: false, isEnabled: true, permissions: [], hasHardwareKeys: false },
      },
      parts: [{ name: 'data.tar', kind: 'data', stored }],
    });
  });
  index.look();
  await index.readAll();
  expect(pathsOf('libtidebook-7.so')).toEqual([]);
  index.change(true);
  await index.readAll();
  const [digest] = run('sha256sum', join(tree, 'lib64/hw/libtidebook-7.so')).split(' ');
  expect(filesOf('libtidebook-7.so')).toMatchObject([
    {
      ...{ path: '/lib64/hw/libtidebook-7.so', sha256: digest, partition: 'data.tar', sets: [] },
      copies: [{ id, label: 'Tidebook', nickname: 'Ringing hut' }],
    },
  ]);
  expect(filesOf(digest!.slice(0, 16))).toHaveLength(1);

  await larder.copies.change(id, { binned: true });
  expect(filesOf('libtidebook-7.so')).toEqual([]);
  await larder.copies.change(id, { binned: false });
  index.change(false);
  await index.readAll();
  expect(names.holds('libtidebook', 10)).toEqual([]);
});

it('finds sets and files that lie in a copy alone, and says where; what was not read yet waits for its set', async () => {
  const [march, april] = [made('march', 4), made('april', 4)];
  const moved = await bench.keep(open, 'To the second disk', { system: march.image });
  await index.readAll();
  const unread = await bench.keep(open, 'Before it was read', { system: april.image });
  const disk = offsiteStatements(open.database, 'disk');
  const bucket = offsiteStatements(open.database, 'bucket');
  const of = { serial: 'TW3K-10482', nickname: 'Ringing hut', createdAt: 1, bytes: 1, since: 2 };
  for (const [id, label] of [[moved, 'To the second disk'] as const, [unread, 'Before it was read'] as const])
    for (const rows of id === moved ? [disk, bucket] : [disk]) rows.moved({ ...of, id, label });
  // Here still: it is found here.
  expect(filesOf('march-3.so')).toMatchObject([{ sets: [{ id: moved, elsewhere: [] }] }]);
  await open.larder.remove([moved, unread]);
  index.look();
  await index.readAll();
  expect(filesOf('march-3.so')).toMatchObject([
    { path: '/lib64/hw/libmarch-3.so', sets: [{ id: moved, elsewhere: ['bucket', 'disk'] }] },
  ]);
  expect(finding.find('second disk').sets.found).toMatchObject([
    { id: moved, elsewhere: ['bucket', 'disk'] },
  ]);
  expect(filesOf('april-3.so')).toEqual([]);
  expect(index.view()).toMatchObject({ trees: 1, unread: 0 });
  // One that the larder has as well is opened there.
  const again = await bench.keep(open, 'Again', { system: march.image });
  expect(filesOf('march-3.so')[0]!.sets.map(({ id, elsewhere }) => [id, elsewhere.length])).toEqual([
    [again, 0],
    [moved, 2],
  ]);
  await open.larder.remove([again]);
  for (const rows of [disk, bucket]) {
    expect(filesOf('march-3.so')).toHaveLength(1);
    rows.notAlone(moved);
  }
  index.look();
  await index.readAll();
  expect(filesOf('march-3.so')).toEqual([]);
  expect(finding.find('second disk').sets.found).toEqual([]);
  expect(index.view()).toMatchObject({ trees: 0, files: 0 });
});

it('forgets what is kept no more', async () => {
  const [march, april] = [made('march', 30), made('april', 30)];
  const first = await bench.keep(open, 'First', { system: march.image });
  await bench.keep(open, 'Second', { system: april.image });
  await index.readAll();
  await open.larder.change(first, { binned: true });
  bench.pass(31 * 86_400_000);
  await open.larder.bin.empty(30 * 86_400_000);
  index.look();
  await index.readAll();
  expect(pathsOf('libmarch')).toEqual([]);
  expect(pathsOf('libapril-7.so')).toEqual(['/lib64/hw/libapril-7.so']);
  expect(names.holds('libmarch', 10)).toEqual([]);
});

it('goes on where it was, and makes an index anew that is damaged', async () => {
  const { tree, image } = made('march', 900);
  await bench.keep(open, 'In march', { system: image });
  const real = names.addFiles;
  let batches = 0;
  names.addFiles = (...batch) => {
    if (++batches === 2) throw Object.assign(new Error('the disk is full'), { code: 'ENOSPC' });
    return real(...batch);
  };
  await expect(index.readAll()).rejects.toThrow('the disk is full');
  const { files } = index.view();
  expect(files).toBe(400);
  names.close();
  begin();
  await index.readAll();
  const count = Number(run('find', tree, '-mindepth', '1', '-printf', 'x').length);
  expect(index.view()).toMatchObject({ files: count + 1, unread: 0 });
  names.close();
  writeFileSync(path(), 'no database at all');
  begin();
  expect(index.view()).toMatchObject({ files: 0 });
  await index.readAll();
  expect(pathsOf('march-7.so')).toHaveLength(1);
});

it('passes over what is damaged, and says that there is such a thing', async () => {
  const { image } = made('march', 4);
  // The first block group's description points nowhere.
  image.fill(0xff, 4096, 4096 + 64);
  await bench.keep(open, 'Damaged', { system: image });
  await bench.keep(open, 'Whole', { system: made('april', 4).image });
  await index.readAll();
  expect(index.view()).toMatchObject({ unread: 0, faults: 1 });
  expect(pathsOf('libapril-1.so')).toEqual(['/lib64/hw/libapril-1.so']);
});
