// Digests of pieces that nobody had time for are made up for while nothing else is done.
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { coarseBytes, fineBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import { isIn, keepSet, openOn, startKnot3, testFolder, until } from '../../../testing/bench.ts';
import { readImage } from '../../shelf/image-reader.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let opened: Awaited<ReturnType<typeof openOn>>;

beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  opened = await openOn(join(folder.path, 'home'), bench);
  void bench.phone.start('recovery');
  await until('recovery', isIn(opened, 'recovery'));
});
afterAll(async () => {
  await opened.close();
  await bench.close();
  folder.remove();
});

it('digests what is unknown of the newest image, and that alone', async () => {
  const setId = await keepSet(opened, 'first', ['system', 'boot']);
  const { larder } = opened;
  const image = larder.image(setId, 'system');
  const count = Math.ceil(image.bytes / coarseBytes);
  expect(count).toBeGreaterThan(2);
  const own: string[] = [];
  for (let i = 0; i < count; i++) {
    const range = { offset: i * coarseBytes, bytes: Math.min(coarseBytes, image.bytes - i * coarseBytes) };
    const md5 = createHash('md5');
    for await (const part of readImage(larder.shelf, image, range)) md5.update(part);
    own.push(md5.digest('hex'));
  }
  const some = { by: 'md5', hex: own.map((each, i) => (i % 2 === 0 ? 'ee'.repeat(16) : each)) } as const;
  larder.pieces.remember(image.sha256, {
    ...some,
    hex: some.hex.map((each, i) => (i === 1 ? undefined : each)),
  });
  const fine: string[] = [];
  for (let offset = 0; offset < image.bytes; offset += fineBytes) {
    const range = { offset, bytes: Math.min(fineBytes, image.bytes - offset) };
    const md5 = createHash('md5');
    for await (const part of readImage(larder.shelf, image, range)) md5.update(part);
    fine.push(md5.digest('hex'));
  }
  await opened.pieceFiller.fillAll();
  // What was known is left as it is; it is a hint, and proves nothing.
  expect(larder.pieces.of(image)).toEqual({ ...some, fine });
  larder.pieces.remember(image.sha256, { by: 'md5', hex: [] });
  await opened.pieceFiller.fillAll();
  expect(larder.pieces.of(image)).toEqual({ by: 'md5', hex: own, fine });
  expect(larder.pieces.of(larder.image(setId, 'boot'))?.hex.length ?? 0).toBeLessThanOrEqual(
    Math.ceil(larder.image(setId, 'boot').bytes / coarseBytes),
  );
});
