// What crosses from thread to thread while an image is read: as much for a block of a large image as for one of a small one.
import { randomBytes } from 'node:crypto';
import { serialize } from 'node:v8';
import { expect, it, vi } from 'vitest';
import { testFolder } from '../../testing/folder.ts';
import { LarderBench } from '../../testing/larder.ts';
import { readImage } from './image-reader.ts';
import { ShelfWorkers } from './threads/workers.ts';

it('sends no more to another thread for a block, however large the image is', async () => {
  const workers = new ShelfWorkers();
  const bench = new LarderBench(testFolder(), workers);
  try {
    const open = await bench.open();
    const image = Buffer.concat([randomBytes(1 << 20), Buffer.alloc(1 << 20, 'text ')]);
    const setId = await bench.keep(open, 'first', { boot: image });
    const { shelf, larder } = open;
    const { chunks, ...recipe } = larder.image(setId, 'boot');
    // The same chunks over and over: a list as of 32 GiB.
    const large = Buffer.concat(Array.from({ length: 16_384 }, () => chunks));
    const unpacking = vi.spyOn(shelf.workers, 'unpackChunks');
    const parts: Buffer[] = [];
    const range = { offset: 0, bytes: image.length };
    for await (const part of readImage(
      shelf,
      { ...recipe, bytes: image.length * 16_384, chunks: large },
      range,
    ))
      parts.push(part);
    expect(Buffer.concat(parts).equals(image)).toBe(true);
    expect(unpacking).toHaveBeenCalledOnce();
    const [, , told] = unpacking.mock.calls[0]!;
    expect(told.length).toBeGreaterThan(0);
    expect(serialize(told).length).toBeLessThan(4096);
    for (const { digest } of told) expect(digest.buffer.byteLength).toBe(32);
  } finally {
    await bench.close();
    await workers.close();
  }
});
