// A phone is erased: afterwards no byte that it alone had is in any file of the larder or in any object of the bucket. What is looked for are
// words within its images, labels and names, byte by byte, by a search that knows nothing of the formats.
import { createHash, createCipheriv } from 'node:crypto';
import { mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { MemoryBucket } from '../../../testing/offsite/memory-bucket.ts';
import { OffsiteBench, passphrase } from '../../../testing/offsite/offsite-bench.ts';
import { jobFileStatements, type JobFileStatements } from '../../database/jobs/job-files.ts';
import { jobStatements } from '../../database/jobs/jobs.ts';
import { copyStatements } from '../../database/copies.ts';
import { offsiteStatements } from '../../database/offsite/offsite.ts';
import { phoneRowStatements } from '../../database/erasing/phone-rows.ts';
import { nameStatements, type NameStatements } from '../../database/names/names.ts';
import { runStatements } from '../../database/runs.ts';
import { setStatements } from '../../database/sets.ts';
import { tombstoneMs } from '../../offsite/keeping-in-step.ts';
import { openBytes } from '../../sealing/sealed-object.ts';
import { openSeal, parseSeal } from '../../sealing/seal-key.ts';
import { ShelfWorkers } from '../../shelf/threads/workers.ts';
import { Snapshots } from '../snapshots.ts';
import { exportStatements } from '../../database/exports/exports.ts';
import { Exports } from '../exports/exports.ts';
import { Erasing } from './erasing.ts';

const gone = 'TW3K-10482';
const stays = 'MR2Q-44107';
let workers: ShelfWorkers;
let bucket: MemoryBucket;
let bench: OffsiteBench;
let names: NameStatements;
let cardFiles: JobFileStatements;
let erasing: Erasing;
let isHere: boolean;
let made: Exports;

/** Bytes that look like nothing, with words in them; they are stored as they are. */
function noise(seed: string, words: string, bytes = 700_000): Buffer {
  const found = createCipheriv(
    'aes-128-ctr',
    createHash('md5').update(seed).digest(),
    Buffer.alloc(16),
  ).update(Buffer.alloc(bytes));
  for (let at = 1000; at + words.length < bytes; at += 100_000) found.write(words, at);
  return found;
}

const home = () => bench.bench.folder.path;
const exports = () => join(home(), 'exports');

beforeEach(async () => {
  workers = new ShelfWorkers();
  bucket = new MemoryBucket();
  bench = await new OffsiteBench(bucket, 'Front bench', workers).begin(true);
  await bench.setUp();
  const { database, larder, shelf } = bench.open;
  names = nameStatements(join(home(), 'names.sqlite'));
  cardFiles = jobFileStatements(join(home(), 'job-files.sqlite'));
  isHere = false;
  made = new Exports({
    ...{ folder: exports(), folders: [], now: () => 1 },
    rows: exportStatements(database),
  });
  const snapshots = new Snapshots(bench.bench.shelfPath, () => bench.bench.clock.wall);
  await snapshots.take(database, shelf.seal);
  erasing = new Erasing({
    ...{ larder, shelf, names, offsite: bench.offsite, exportFolder: exports() },
    exports: made,
    sets: setStatements(database),
    copies: copyStatements(database),
    rows: phoneRowStatements(database),
    renewSnapshots: () => snapshots.renew(database, shelf.seal),
    jobFiles: cardFiles,
    isBusy: () => false,
    isHere: () => isHere,
  });
});
afterEach(async () => {
  names.close();
  cardFiles.close();
  await bench.close();
  await workers.close();
});

/** Files in which some bytes are. */
function filesWith(words: string): string[] {
  const all = readdirSync(home(), { recursive: true, encoding: 'utf8' }).map((name) => join(home(), name));
  return all.filter((path) => statSync(path).isFile() && readFileSync(path).includes(words));
}

async function objectsWith(words: string): Promise<string[]> {
  const seal = await openSeal(parseSeal(bucket.objects.get('seal.json')!.toString()), passphrase);
  const found: string[] = [];
  for (const [name, bytes] of bucket.objects)
    if (name !== 'seal.json' && (await openBytes(seal, name, bytes)).includes(words)) found.push(name);
  return found;
}

async function erase(serial: string): Promise<string[]> {
  const results: string[] = [];
  for (const step of await erasing.steps(serial)) results.push(`${step.text}: ${await step.work()}`);
  return results;
}

it('leaves nothing of it anywhere, and everything of the others', async () => {
  const both = noise('both', 'firmware of both');
  const keep = (label: string, images: Record<string, Uint8Array>, serial: string) =>
    bench.bench.keep(bench.open, label, images, serial);
  const id = await keep('Secret label', { boot: both, efs: noise('one', 'identity of the customer') }, gone);
  await keep('Secret again', { efs: noise('two', 'later state of the customer', 300_000) }, gone);
  await keep('Of another', { boot: both, efs: noise('three', 'identity of the other') }, stays);
  await bench.open.larder.change(id, { note: 'Secret note', binned: true });
  names.add(Buffer.from(bench.open.larder.detail(id).images[0]!.sha256, 'hex'), [''], false);
  names.add(Buffer.alloc(32, 9), [''], false);
  names.addFiles(2, [{ folder: '/', name: 'secret-file-name', kind: 'file', bytes: 1 }], '/x');
  mkdirSync(join(exports(), 'Secret export'), { recursive: true });
  writeFileSync(
    join(exports(), 'Secret export', 'CONTENTS.json'),
    JSON.stringify({ phone: { serial: gone } }),
  );
  mkdirSync(join(exports(), 'Other export'));
  writeFileSync(
    join(exports(), 'Other export', 'CONTENTS.json'),
    JSON.stringify({ phone: { serial: stays } }),
  );
  writeFileSync(join(exports(), 'Secret app.tar'), Buffer.concat([Buffer.alloc(3 << 20), Buffer.from(gone)]));
  // A sealed one, which says of itself nothing, on a drive, where somebody else has put something as well.
  const drive = join(home(), 'drive', 'Sealed');
  mkdirSync(drive, { recursive: true });
  for (const name of ['efs.img.age', 'mine.txt']) writeFileSync(join(drive, name), 'closed');
  const file = { name: 'efs.img.age', bytes: 6, sha256: '00' };
  made.add(bench.open.larder.detail(id), drive, [file], true);
  await bench.sync();
  // Runs over several phones are of none of them.
  const runs = runStatements(bench.open.database);
  const row = {
    ...{
      kind: 'verifying',
      serial: null,
      operator: null,
      mode: null,
      link: null,
      setId: null,
      state: 'done',
      idleMs: 0,
    },
    ...{ startedAt: 1, endedAt: 2, doneBytes: 0, carriedBytes: null, outcome: 'All is well.' },
  };
  runs.save({
    ...row,
    id: 'both',
    title: 'Verify 2 sets',
    detail: '{"steps":["Verify efs of Secret label"]}',
  });
  runs.save({ ...row, id: 'logged', title: 'Copy 2 sets off-site', detail: '{}' });
  runs.addLine('logged', { seq: 1, at: 1, level: 'error', text: '“Secret again” was not copied.' });
  runs.save({ ...row, id: 'other', title: 'Verify Of another', detail: '{}' });

  const jobs = jobStatements(bench.open.database);
  const card = {
    ...{ contact: 'Secret contact', complaint: '', agreed: '{}', arrival: '', accessories: '', openedAt: 1 },
    ...{ stage: 'received', handedOverAt: null },
  };
  jobs.save({ ...card, id: 'j1', number: 1, who: 'Secret owner' }, [gone]);
  jobs.save({ ...card, id: 'j2', number: 2, who: 'Of both', contact: '' }, [gone, stays]);
  jobs.addNote('j1', 1, 'Secret note on a card', undefined);
  const photo = { name: 'Secret photo.jpg', at: 1, operator: null, sha256: Buffer.alloc(32) };
  cardFiles.add({ ...photo, id: 'f1', jobId: 'j1' }, Buffer.from('Secret of the photo'));
  cardFiles.add({ ...photo, id: 'f2', jobId: 'j2', name: 'both.jpg' }, Buffer.from('of both phones'));

  const secrets = [
    'identity of the customer',
    'later state of the customer',
    'Secret',
    gone,
    'secret-file-name',
  ];
  for (const words of secrets) expect([words, filesWith(words).length]).not.toEqual([words, 0]);
  const view = await erasing.view(gone);
  expect(view).toMatchObject({
    sets: 2,
    copies: 0,
    exports: [drive, 'Secret app.tar', 'Secret export'].sort(),
    offsite: 'open',
    hindrances: [],
  });
  expect(view.ownBytes).toBeGreaterThan(900_000);
  expect(view.sharedBytes).toBeGreaterThan(600_000);

  const results = await erase(gone);
  expect(results.join('\n')).toMatch(
    /2 sets and 0 copies.*Free its bytes.*stay, which other phones have.*Remove it off-site/s,
  );
  for (const words of secrets) expect([words, filesWith(words)]).toEqual([words, []]);
  // Those that hang together are packed by themselves; the bucket removes them a day later.
  bench.bench.pass(tombstoneMs + 1000);
  await bench.sync();
  for (const words of secrets) expect([words, await objectsWith(words)]).toEqual([words, []]);

  expect(jobs.all().map(({ id }) => id)).toEqual(['j2']);
  expect(cardFiles.list('j2').map(({ name }) => name)).toEqual(['both.jpg']);
  expect(jobs.phones().map(({ serial }) => serial)).toEqual([stays]);
  expect(runs.recent().map(({ id }) => id)).toEqual(['other']);
  expect(await objectsWith('identity of the other')).not.toEqual([]);
  const kept = await bench.contents();
  expect([...kept.keys()].sort()).toEqual(['Of another boot', 'Of another efs']);
  expect(kept.get('Of another boot')!.equals(both)).toBe(true);
  expect(bench.offsite.view()).toMatchObject({ keptCount: 1, offsiteCount: 1 });
  expect(readdirSync(exports())).toEqual(['Other export']);
  expect(readdirSync(drive)).toEqual(['mine.txt']);
  expect(results.join('\n')).toContain('Remove 3 exports');
  await expect(erasing.view(gone)).rejects.toThrow(/knows no phone/);
});

it('does not begin while the bucket has of it what is not here any more', async () => {
  const id = await bench.bench.keep(bench.open, 'Lost here', { efs: noise('l', 'secret') }, gone);
  await bench.bench.keep(bench.open, 'Of another', { efs: noise('o', 'other') }, stays);
  await bench.sync();
  expect((await erasing.view(gone)).hindrances).toEqual([]);
  // As after a home was lost: nobody knows that it was sent from here.
  await bench.open.larder.remove([id]);
  offsiteStatements(bench.open.database, 'bucket').drop('sets', id);
  expect((await erasing.view(gone)).hindrances).toEqual([
    expect.stringMatching(/has a set or copy of it that the larder does not have. Fetch it/),
  ]);
  expect((await erasing.view(stays)).hindrances).toEqual([]);
  await bench.fetchAll();
  expect((await erasing.view(gone)).hindrances).toEqual([]);
});

it('does not begin while something stands in the way', async () => {
  const id = await bench.bench.keep(bench.open, 'In use', { boot: noise('x', 'x') }, gone);
  isHere = true;
  await expect(erasing.steps(gone)).rejects.toThrow(/Disconnect it first/);
  isHere = false;
  const letGo = bench.open.larder.bin.hold([id]);
  await expect(erasing.steps(gone)).rejects.toThrow(/being read now/);
  letGo();
  bench.use();
  expect((await erasing.view(gone)).hindrances).toEqual([]);
});
