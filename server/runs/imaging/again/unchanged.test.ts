// What has not changed since it was kept is not read again, and nothing is taken for unchanged that is not.
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest';
import type { Phone } from '@keen-larder/standin/phone/phone.ts';
import { openOn, serial, startKnot3, testFolder, toRecovery } from '../../../../testing/bench.ts';
import type { KeenLarder } from '../../../keen-larder.ts';
import { startImaging } from '../imaging.ts';
import { startVerifying } from '../../files/verifying.ts';

const folder = testFolder();
const picked = ['system', 'modem', 'sbl1'];
let bench: Awaited<ReturnType<typeof startKnot3>>;
let phone: Phone;
let app: KeenLarder;

beforeAll(async () => {
  bench = await startKnot3(`${folder.path}/phones`);
  phone = bench.phone;
  app = await openOn(`${folder.path}/larder`, bench);
  await toRecovery(app, phone);
  await keep('first');
});
afterEach(() => phone.flash.faults.clear());
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

async function keep(label: string, readAll = false) {
  const { id } = await startImaging(app, serial, {
    picked,
    label,
    readAll,
    confirmed: ['identity-left-out', 'battery'],
  });
  const run = await app.engine.ended(id);
  return { ...run, images: app.larder.detail(run.setId!).images };
}
const sums = (images: Awaited<ReturnType<typeof keep>>['images']) =>
  images.map(({ partition, sha256 }) => [partition, sha256]);
const resultOf = (run: Awaited<ReturnType<typeof keep>>, partition: string) =>
  run.steps.find((step) => step.partition === partition)!.result;

it('what the phone computes the same digest of is kept again without being read', async () => {
  const again = await keep('again');
  expect(again.state).toBe('done');
  expect(resultOf(again, 'system')).toMatch(
    /^unchanged since “first”, not read again: .* SHA-256 [0-9a-f]{64}$/,
  );
  expect(again.outcome).toMatch(/^3 images, 2 of them unchanged since kept and not read again, .*; 0 B new/);
  // What is small is read at once.
  expect(resultOf(again, 'sbl1')).toMatch(/^SHA-256/);
  expect(again.doneBytes).toBe(again.images.find(({ partition }) => partition === 'sbl1')!.bytes);
  const all = await keep('all of it', true);
  expect(all.doneBytes).toBe(all.images.reduce((sum, { bytes }) => sum + bytes, 0));
  expect(sums(again.images)).toEqual(sums(all.images));
  expect(await app.engine.ended(startVerifying(app, [again.setId!]).id)).toMatchObject({ state: 'done' });
});

it('what has changed by one byte is read', async () => {
  await phone.flash.partition('modem')!.write(11 << 20, Buffer.from([1]));
  const run = await keep('changed');
  expect(run.state).toBe('done');
  expect(resultOf(run, 'modem')).toMatch(/^SHA-256/);
  expect(resultOf(run, 'system')).toMatch(/^unchanged since/);
  const all = await keep('changed, all of it', true);
  expect(sums(run.images)).toEqual(sums(all.images));
});

it('what the phone cannot read any more is not taken for unchanged', async () => {
  const { startBytes } = phone.flash.list().find(({ name }) => name === 'modem')!;
  phone.flash.faults.set('worn', [{ offset: startBytes + 4096, bytes: 4096 }]);
  const run = await keep('worn');
  expect(run.state).toBe('incomplete');
  expect(run.images.find(({ partition }) => partition === 'modem')!.unsettled).toEqual([
    { offset: 4096, bytes: 4096 },
  ]);
});

it('an image that is damaged on the shelf is not relied on, nor one in the bin', async () => {
  const newest = app.larder.newestWhole(serial, 'system', systemBytes());
  expect(newest?.label).toBe('worn');
  for (const { id, label } of app.larder.list()) {
    if (label === 'first') continue;
    await app.larder.change(id, { binned: true });
  }
  expect(app.larder.newestWhole(serial, 'system', systemBytes())?.label).toBe('first');
  const first = app.larder.list().find(({ label }) => label === 'first')!;
  app.larder.recordVerification(first.id, [
    { partition: 'system', damage: 'two chunks are not what they were' },
  ]);
  expect(app.larder.newestWhole(serial, 'system', systemBytes())).toBeUndefined();
  expect(resultOf(await keep('after damage'), 'system')).toMatch(/^SHA-256/);
});

const systemBytes = () => phone.flash.partition('system')!.bytes;
