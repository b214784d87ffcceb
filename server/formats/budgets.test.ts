import { statSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { afterAll, expect, it } from 'vitest';
import { compress } from 'zstd-napi';
import { testFolder } from '../../testing/folder.ts';
import { NoRoomFor, writeSparsely } from './file-source.ts';
import { unwrap } from './unpacking/wrappers.ts';

const folder = testFolder();
afterAll(() => folder.remove());

async function* inOne(bytes: Uint8Array): AsyncGenerator<Uint8Array> {
  yield await Promise.resolve(bytes);
}
async function bytesOf(stream: AsyncIterable<Uint8Array>): Promise<number> {
  let bytes = 0;
  for await (const part of stream) bytes += part.length;
  return bytes;
}

it.each([
  ['gzip', gzipSync],
  ['zstd', compress],
] as const)('%s that unpacks to more than it may is given up on', async (wrapper, pack) => {
  const packed = pack(Buffer.alloc(3 << 20));
  expect(await bytesOf(unwrap(wrapper, inOne(packed), 3 << 20))).toBe(3 << 20);
  await expect(bytesOf(unwrap(wrapper, inOne(packed), (3 << 20) - 1))).rejects.toThrow(
    /it unpacks to more than 3 MiB, as no phone holds/,
  );
});

it('what is put aside takes no more than there is room for, zeros not counted', async () => {
  const path = join(folder.path, 'aside');
  const bytes = Buffer.alloc(2 << 20);
  expect(await writeSparsely(path, inOne(bytes), 0)).toBe(2 << 20);
  expect(statSync(path)).toMatchObject({ size: 2 << 20, blocks: 0 });
  bytes[(2 << 20) - 1] = 1;
  await expect(writeSparsely(path, inOne(bytes), (2 << 20) - 1)).rejects.toThrow(NoRoomFor);
  expect(await writeSparsely(path, inOne(bytes), 2 << 20)).toBe(2 << 20);
});
