// Judged by veritysetup (cryptsetup), which makes trees of digests for the kernel's dm-verity.
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../../testing/folder.ts';
import { filler } from '../../../standin/firmware/filler.ts';
import { memorySource } from '../../bytes/source.ts';
import { fromHex } from '../../bytes/text.ts';
import type { HashtreeDescriptor } from './descriptors.ts';
import { checkHashTree } from './hash-tree.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);

/** An image with its tree behind it, and the descriptor that speaks of both. */
function made(
  bytes: number,
  algorithm: string,
  salt: string,
): { image: Buffer; descriptor: HashtreeDescriptor } {
  const data = Buffer.from(filler('program', 7, bytes));
  writeFileSync(at('data'), data);
  writeFileSync(at('tree'), '');
  const told = execFileSync(
    'veritysetup',
    [
      'format',
      '--no-superblock',
      '--hash',
      algorithm,
      '--salt',
      salt || '-',
      '--data-block-size',
      '4096',
      '--hash-block-size',
      '4096',
      '--data-blocks',
      String(bytes / 4096),
      at('data'),
      at('tree'),
    ],
    { encoding: 'utf8' },
  );
  const tree = readFileSync(at('tree'));
  const rootDigest = fromHex(/Root hash:\s+([0-9a-f]+)/.exec(told)![1]!);
  return {
    image: Buffer.concat([data, tree]),
    descriptor: {
      ...{ kind: 'hashtree', partition: 'system', algorithm, imageBytes: bytes, flags: 0 },
      ...{ treeOffset: bytes, treeBytes: tree.length, dataBlockBytes: 4096, hashBlockBytes: 4096 },
      ...{ salt: fromHex(salt), rootDigest },
    },
  };
}

describe('a tree of digests', () => {
  it.each([
    ['of two levels', 3 << 20, 'sha256', 'a1b2c3d4'],
    ['of three levels', 80 << 20, 'sha256', '00ff00ff00ff00ff'],
    ['of SHA-512', 2 << 20, 'sha512', 'aa'],
    ['of no whole block of digests', 5 * 4096, 'sha256', '01'],
  ])('%s leads to the root that veritysetup computes', async (_name, bytes, algorithm, salt) => {
    const { image, descriptor } = made(bytes, algorithm, salt);
    expect(await checkHashTree(descriptor, memorySource(image))).toEqual({ matches: true });
  });

  it('finds the block that was changed', async () => {
    const { image, descriptor } = made(3 << 20, 'sha256', 'a1b2');
    image[500 * 4096 + 17]! ^= 1;
    expect(await checkHashTree(descriptor, memorySource(image))).toEqual({
      matches: false,
      firstDamaged: 500,
    });
  });

  it('of another kind is not computed, and of an image that is too short it is said', async () => {
    const { image, descriptor } = made(1 << 20, 'sha256', 'a1');
    expect(await checkHashTree({ ...descriptor, algorithm: 'blake2b' }, memorySource(image))).toBeUndefined();
    await expect(checkHashTree(descriptor, memorySource(image.subarray(0, 4096)))).rejects.toMatchObject({
      name: 'FormatError',
    });
  });
});
