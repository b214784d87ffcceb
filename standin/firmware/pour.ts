import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { decompress } from 'zstd-napi';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { sparsePieces } from '@keen-larder/core/formats/android-sparse/android-sparse.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import type { FileSystem } from '@keen-larder/core/formats/file-system/reading.ts';
import type { Device } from '../flash/flash.ts';
import { madeBytes, templates } from './contents.ts';

const images = join(import.meta.dirname, 'images');
const pieceBytes = 1 << 20;

/** A stretch of a file: from which of its bytes on, and where it lies. */
interface Stretch {
  readonly from: number;
  readonly at: number;
  readonly length: number;
}

/** Where a large file of a shipped file system lies, in whole blocks where it has them. @throws Error where it is missing */
export async function stretchesOf(fs: FileSystem, path: string): Promise<Stretch[]> {
  const missing = () => new Error(`${path} is missing`);
  const node = await fs.find(path);
  if (!node) throw missing();
  // None of them has holes.
  let from = 0;
  return ((await fs.places(node)) ?? []).map(({ offset, bytes }) => {
    const stretch = { from, at: offset, length: bytes };
    from += bytes;
    return stretch;
  });
}

/**
 * Writes a shipped file system into a partition and fills in its large files.
 * @param fresh the partition reads as zeros, so zeros need no writing and the flash stays sparse
 */
export async function pourTemplate(name: string, device: Device, fresh = false): Promise<void> {
  const template = templates.find((each) => each.name === name);
  if (!template) throw new Error(`no shipped file system called ${name}`);
  await pourImage(join(images, `${name}.simg.zst`), device, fresh);
  const fs = await openFileSystem(device);
  for (const item of template.items) {
    const bytes = madeBytes(item);
    if (!bytes) continue;
    for (const { from, at, length } of await stretchesOf(fs, item.path))
      await device.write(at, bytes.subarray(from, from + length));
  }
}

async function pourImage(path: string, device: Device, fresh: boolean): Promise<void> {
  const sparse = memorySource(decompress(await readFile(path)));
  for await (const piece of sparsePieces(sparse)) {
    if ('bytes' in piece) {
      await device.write(piece.offset, piece.bytes);
      continue;
    }
    const [word, length] = 'fill' in piece ? [piece.fill, piece.length] : [0, piece.skip];
    if (word === 0 && fresh) continue;
    const bytes = Buffer.from(new Uint32Array(Math.min(length, pieceBytes) / 4).fill(word).buffer);
    for (let done = 0; done < length; done += bytes.length) {
      await device.write(piece.offset + done, bytes.subarray(0, length - done));
    }
  }
}
