// Verifying says what is damaged, by step and in the end.
import { randomBytes } from 'node:crypto';
import { closeSync, openSync, readdirSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { openOn, testFolder } from '../../../testing/bench.ts';
import { LarderBench } from '../../../testing/larder.ts';
import { startVerifying } from './verifying.ts';

const folder = testFolder();
const bench = new LarderBench();
const app = await openOn(join(folder.path, 'home'), undefined, { now: () => bench.clock.wall });
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

it('of an image that is damaged its step failed, the others are done, and the set says so', async () => {
  const { larder, engine } = app;
  const open = { larder, shelf: larder.shelf };
  const images = { boot: randomBytes(700_000), efs: Buffer.alloc(9000, 1) };
  const id = await bench.keep(open, 'kept', images);
  const run = await engine.ended(startVerifying(app, [id]).id);
  expect(run).toMatchObject({ state: 'done', outcome: 'All 2 images are as they were kept.' });

  const [pack] = readdirSync(larder.shelf.packFolder) as [string];
  const file = openSync(join(larder.shelf.packFolder, pack), 'r+');
  writeSync(file, Buffer.from([0x5a, 0xa5]), 0, 2, 300_000);
  closeSync(file);
  const again = await engine.ended(startVerifying(app, [id]).id);
  expect(again).toMatchObject({
    state: 'failed',
    outcome: expect.stringMatching(/^boot is damaged on the shelf\. Do not put it back\./) as string,
    steps: [
      { text: 'Verify boot', state: 'failed', result: expect.stringMatching(/^damaged: boot, /) as string },
      { text: 'Verify efs', state: 'done', result: 'as it was kept' },
    ],
  });
  expect(larder.detail(id)).toMatchObject({ damaged: true });
});
