// The copy off-site from a terminal: sent, the home folder deleted, brought back into an empty one, and scrubbed.
import { randomBytes } from 'node:crypto';
import { closeSync, openSync, readdirSync, readFileSync, rmSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { startBucket, type StandInBucket } from '../standin/bucket.ts';
import { openOn, testFolder } from '../testing/bench.ts';
import { larderCommand } from '../testing/programs/larder-command.ts';
import { passphrase } from '../testing/offsite/offsite-bench.ts';
import { isLong } from '../testing/effort.ts';

const folder = testFolder();
const at = (name: string) => join(folder.path, name);
const home = at('larder');
const boot = randomBytes(900_000);
let bucket: StandInBucket;

const larder = (words: readonly string[], secrets: Readonly<Record<string, string>> = {}) =>
  larderCommand(words, { KEEN_LARDER_PASSPHRASE: passphrase, ...secrets });

beforeAll(async () => {
  bucket = await startBucket(at('bucket'));
  writeFileSync(at('boot.img'), boot);
  const phone = ['--phone', 'TW3K-1', '--maker', 'Tidewell', '--model', 'Knot 3'];
  const words = ['import', at('boot.img'), '--label', 'Before', ...phone, '--home', home];
  const imported = await larder([...words, '--confirm', 'unchecked', '--confirm', 'no-checksums']);
  expect(imported).toMatchObject({ code: 0 });
  const app = await openOn(home, undefined);
  await app.offsite.setUp({ place: bucket.place, passphrase, benchName: 'Front bench' });
  await app.close();
});
afterAll(async () => {
  await bucket.close();
  folder.remove();
});

it.runIf(isLong)('sends, says how it stands, and brings everything back into an empty home', async () => {
  const before = await larder(['offsite', 'status', '--home', home]);
  expect(before).toMatchObject({
    code: 1,
    out: expect.stringMatching(/0 of 1 .*\nnot there: “Before”\n/) as string,
  });
  expect(await larder(['offsite', 'sync', '--home', home])).toMatchObject({
    code: 0,
    out: expect.stringMatching(/^1 set or copy sent, .* that were not there before\.\n$/) as string,
  });
  expect((await larder(['offsite', 'status', '--home', home])).code).toBe(0);
  const wrong = await larder(['offsite', 'status', '--home', home], { KEEN_LARDER_PASSPHRASE: 'plums' });
  expect(wrong).toMatchObject({ code: 2, err: expect.stringMatching(/does not open it/) as string });

  rmSync(home, { recursive: true });
  const place = [
    '--bucket',
    bucket.place.bucket,
    '--endpoint',
    bucket.place.endpoint,
    '--region',
    bucket.place.region,
  ];
  const keys = {
    KEEN_LARDER_S3_ACCESS_KEY_ID: bucket.place.accessKeyId,
    KEEN_LARDER_S3_SECRET_ACCESS_KEY: bucket.place.secretAccessKey,
  };
  expect(await larder(['offsite', 'restore', ...place, '--home', home], keys)).toMatchObject({
    code: 0,
    out: 'It is in the larder.\n',
  });
  const out = at('out');
  expect((await larder(['export', 'Before', out, '--home', home])).code).toBe(0);
  expect(readFileSync(join(out, 'boot.img')).equals(boot)).toBe(true);
  const nothing = await larder(['offsite', 'restore', '--home', home], keys);
  expect(nothing).toMatchObject({ code: 0, out: 'Everything in the bucket is in the larder already.\n' });
  expect(readFileSync(join(home, 'offsite.json'), 'utf8')).not.toContain(bucket.place.secretAccessKey);
});

it.runIf(isLong)('finds a flipped bit, and repairs it from off-site', async () => {
  const packs = join(home, 'shelf', 'packs');
  const [pack] = readdirSync(packs) as [string];
  const file = openSync(join(packs, pack), 'r+');
  writeSync(file, Buffer.from([0x5a, 0xa5]), 0, 2, 300_000);
  closeSync(file);
  const keys = {
    KEEN_LARDER_S3_ACCESS_KEY_ID: bucket.place.accessKeyId,
    KEEN_LARDER_S3_SECRET_ACCESS_KEY: bucket.place.secretAccessKey,
  };
  const repaired = await larder(['scrub', '--all', '--json', '--home', home], keys);
  expect(repaired).toMatchObject({ code: 0, err: '' });
  expect(JSON.parse(repaired.out)).toMatchObject({ damagedChunks: 0, damaged: [] });
  expect((await larder(['verify', '--home', home])).code).toBe(0);
});

it.runIf(isLong)('moves a set onto a second disk, and brings it back from there', async () => {
  const app = await openOn(home, undefined);
  await app.offsite.setUp({ folder: at('disk'), passphrase, benchName: 'Front bench' });
  await app.close();
  expect(await larder(['offsite', 'status', '--home', home])).toMatchObject({
    code: 2,
    err: expect.stringMatching(/has two copies\. Name one: --copy bucket, or --copy disk\.\n$/) as string,
  });
  const onDisk = (command: string, ...words: string[]) =>
    larder(['offsite', command, ...words, '--copy', 'disk', '--home', home]);
  expect((await onDisk('move', 'Nothing')).code).toBe(2);
  expect(await onDisk('move', 'Before')).toMatchObject({
    code: 0,
    out: expect.stringMatching(/^“Before” lies in the copy on the second disk alone\./) as string,
  });
  expect((await larder(['sets', '--home', home])).out).toBe('');
  expect((await onDisk('status')).out).toMatch(/there alone: “Before” \(.*\)\n$/);
  expect(await onDisk('restore', '--set', 'Before')).toMatchObject({
    code: 0,
    out: 'It is in the larder.\n',
  });
  rmSync(at('out'), { recursive: true });
  expect((await larder(['export', 'Before', at('out'), '--home', home])).code).toBe(0);
  expect(readFileSync(join(at('out'), 'boot.img')).equals(boot)).toBe(true);
});
