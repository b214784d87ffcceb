// Firmware as it is handed out for other ways to install it, chosen in the browser: an update payload onto a phone with two slots,
// an update by blocks onto one with a single slot; what lies on the flash afterwards is what was packed.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { serial as knot3, testFolder, until } from '../testing/bench.ts';
import { digestOnFlash } from '../testing/digests.ts';
import { makeBlockUpdate } from '../testing/firmware/block-update.ts';
import { makePayload } from '../testing/firmware/update-payload.ts';
import { isLong } from '../testing/effort.ts';
import { openStory, putBack } from './story.ts';

const knot5 = 'TW5K-20316';
const story = openStory([knot5]);
const folder = testFolder();
afterAll(() => folder.remove());
const at = (name: string) => join(folder.path, name);

/** Bytes of a partition on a simulated phone, with some of them changed. */
async function changed(serial: string, name: string): Promise<Buffer> {
  const device = story.phoneOf(serial).flash.partition(name)!;
  const bytes = Buffer.from(await device.read(0, device.bytes));
  // Behind what is in use: the phone goes on to start.
  bytes.write('of the update', bytes.length - 8192);
  return bytes;
}

function zipped(name: string, files: Readonly<Record<string, Uint8Array | string>>): string {
  mkdirSync(at(name));
  for (const [path, bytes] of Object.entries(files)) {
    execFileSync('mkdir', ['-p', join(at(name), path, '..')]);
    writeFileSync(join(at(name), path), bytes);
  }
  execFileSync('zip', ['-q', '-r', '-1', at(`${name}.zip`), '.'], { cwd: at(name) });
  return at(`${name}.zip`);
}

async function chosen(zip: string, phone: RegExp, label: string): Promise<string> {
  const { page, serving } = story;
  await story.go('/larder/import');
  await page.getByLabel('Files to import').setInputFiles(zip);
  await page.getByRole('combobox', { name: 'Phone of these files' }).click();
  await page.getByRole('option', { name: phone }).click();
  await page.getByRole('textbox', { name: 'Name of the set' }).fill(label);
  await page.getByRole('button', { name: 'Keep as a set' }).click();
  await page.locator('[data-run][data-state="done"]').waitFor();
  return serving.app.larder.list().find((set) => set.label === label)!.id;
}

// With `npm run kills`.
it.runIf(isLong)('an update payload ends as images proved on a phone with two slots', async () => {
  const { app } = story.serving;
  void story.phoneOf(knot5).start('recovery');
  await until('the phone in recovery', () => app.bench.linkIn(knot5, 'recovery') !== undefined);
  await app.bench.partitions(knot5);
  const partitions = { boot: await changed(knot5, 'boot_a'), dtbo: await changed(knot5, 'dtbo_a') };
  const metadata = 'ota-type=AB\npost-build=Tidewell/knot5/knot5:14/TW5.260905.011\npre-device=knot5\n';
  const zip = zipped('ota', {
    'payload.bin': makePayload({ partitions, packedBy: ['REPLACE_XZ', 'REPLACE_BZ', 'REPLACE_ZSTD'] }),
    'META-INF/com/android/metadata': metadata,
  });
  const setId = await chosen(zip, new RegExp(knot5), 'Update of September');
  expect(
    app.larder
      .detail(setId)
      .images.map(({ partition }) => partition)
      .sort(),
  ).toEqual(['boot_a', 'dtbo_a']);
  await putBack(story.page, story.serving.url, setId, { what: 'Everything', onto: knot5 });
  for (const [name, bytes] of Object.entries(partitions))
    expect(await digestOnFlash(story.phoneOf(knot5).flash.partition(`${name}_a`)!)).toBe(
      createHash('sha256').update(bytes).digest('hex'),
    );
});

it.runIf(isLong)('an update by blocks ends as an image proved on a phone with one slot', async () => {
  await story.intoRecovery();
  const { app } = story.serving;
  await app.bench.partitions(knot3);
  const system = await changed(knot3, 'system');
  const { list, packed } = makeBlockUpdate(system);
  const zip = zipped('blocks', {
    'system.transfer.list': list,
    'system.new.dat.br': packed,
    'system.patch.dat': '',
    'META-INF/com/google/android/updater-script': 'block_image_update(...);\n',
  });
  const setId = await chosen(zip, new RegExp(knot3), 'System by blocks');
  expect(app.larder.detail(setId).images.map(({ partition }) => partition)).toEqual(['system']);
  await putBack(story.page, story.serving.url, setId, { what: 'Everything', partitions: 1 });
  expect(await digestOnFlash(story.phone.flash.partition('system')!)).toBe(
    createHash('sha256').update(system).digest('hex'),
  );
});
