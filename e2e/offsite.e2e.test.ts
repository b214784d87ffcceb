// A file is found by its name and taken out; the larder goes off-site, its home is deleted, and a set comes back from the bucket and goes
// onto the phone, proved.
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { startBucket, type StandInBucket } from '@keen-larder/standin/bucket.ts';
import { keepSet, serial, serveOn, quick, testFolder, toRecovery } from '../testing/bench.ts';
import { isLong } from '../testing/effort.ts';
import { passphrase } from '../testing/offsite/offsite-bench.ts';
import { openStory, putBack } from './story.ts';

const story = openStory();
const folder = testFolder();
let bucket: StandInBucket;
beforeAll(async () => {
  bucket = await startBucket(join(folder.path, 'bucket'));
  await toRecovery(story.serving.app, story.phone);
  await keepSet(story.serving.app, 'While it was well', ['boot', 'system']);
});
afterAll(async () => {
  await bucket.close();
  folder.remove();
});

it.runIf(isLong)('finds a file by its name, and takes it out', async () => {
  const { page } = story;
  await story.go('/larder');
  await page.getByRole('link', { name: 'Find', exact: true }).click();
  await page.getByText(/^[1-9][\d,]* names of/).waitFor();
  await page.getByRole('textbox', { name: 'Find in everything that is kept' }).fill('build.pr');
  const files = page.getByRole('region', { name: 'Files within images and copies' });
  await files.getByRole('link', { name: '/build.prop', exact: true }).click();
  await page.getByText('ro.build.fingerprint').first().waitFor();
  const started = page.waitForEvent('download');
  await page.getByRole('link', { name: 'Download build.prop' }).click();
  const path = join(folder.path, 'build.prop');
  await (await started).saveAs(path);
  expect(readFileSync(path, 'utf8')).toMatch(/^ro\.build\.fingerprint=/m);
});

async function fill(page: typeof story.page, values: Readonly<Record<string, string>>): Promise<void> {
  for (const [label, text] of Object.entries(values))
    await page.getByRole('textbox', { name: label, exact: true }).fill(text);
}

const setUpBucket = (page: typeof story.page) =>
  page.getByRole('region', { name: 'In a bucket' }).getByRole('button', { name: 'Set it up…' }).click();

// With `npm run kills`.
it.runIf(isLong)(
  'goes off-site, and comes back from there onto an empty home',
  { timeout: 240_000 },
  async () => {
    const { page } = story;
    const place = {
      'Address of the service': bucket.place.endpoint,
      Bucket: bucket.place.bucket,
      'Access key': bucket.place.accessKeyId,
      'Secret access key': bucket.place.secretAccessKey,
      'This bench': 'Front bench',
      Passphrase: passphrase,
      'Passphrase once more': passphrase,
    };
    await story.go('/larder/off-site');
    await setUpBucket(page);
    await fill(page, place);
    await page.getByRole('button', { name: 'Use this bucket' }).click();
    await page.getByRole('region', { name: 'Recovery key' }).waitFor();
    await page.getByRole('button', { name: 'It is on paper' }).click();
    await page.getByText(/0 of 1\s+sets and copies are in/).waitFor();
    await page.getByRole('button', { name: 'Copy what is missing' }).click();
    await page
      .getByText(/1 set or copy sent/)
      .first()
      .waitFor();
    await story.go('/larder/off-site');
    await page.getByText(/1 of 1\s+sets and copies are in/).waitFor();

    // The computer is lost.
    const home = join(folder.path, 'new home');
    const serving = await serveOn(home, story.bench, { retryPolicy: quick.retryPolicy });
    try {
      await page.goto(`${serving.url}/larder/off-site`);
      await setUpBucket(page);
      await fill(page, { ...place, 'This bench': 'Back bench' });
      await page.getByRole('button', { name: 'Use this bucket' }).click();
      await page.getByRole('button', { name: 'Look into the copy' }).click();
      const row = page.getByRole('row', { name: /While it was well/ });
      await row.getByText('kept by “Front bench”').waitFor();
      await row.getByRole('button', { name: 'Fetch' }).click();
      await page.getByText('It is in the larder.').first().waitFor();
      const [set] = serving.app.larder.list();
      expect(set).toMatchObject({ label: 'While it was well', serial, complete: true });
      await putBack(page, serving.url, set!.id);
    } finally {
      await serving.close();
      rmSync(home, { recursive: true, force: true });
    }
  },
);
