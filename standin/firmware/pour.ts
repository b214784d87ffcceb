import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { decompress } from 'zstd-napi';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { sparsePieces } from '@keen-larder/core/formats/android-sparse/android-sparse.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import type { Device } from '../flash/flash.ts';
import { madeBytes, templates } from './contents.ts';

const images = join(import.meta.dirname, 'images');
const pieceBytes = 1 << 20;

/**
 * Writes a shipped file system into a partition and fills in its large files.
 * @param fresh the partition reads as zeros, so zeros need no writing and the flash stays sparse
 */
export async function pourTemplate(name: string, device: Device, fresh = false): Promise<void> {
  const template = templates.find((each) => each.name === name);
  if (!template) throw new Error(`no shipped file system called ${name}`);
  await pourImage(join(images, `${name}.simg.zst`), device, fresh);
  const fs = await Ext4.open(device);
  const { blockBytes } = fs.superblock;
  for (const item of template.items) {
    const bytes = madeBytes(item);
    if (!bytes) continue;
    const inode = await fs.find(item.path);
    if (!inode) throw new Error(`${name}: ${item.path} is missing`);
    for (const run of await fs.runs(inode)) {
      const from = run.fileBlock * blockBytes;
      await device.write(run.diskBlock * blockBytes, bytes.subarray(from, from + run.blocks * blockBytes));
    }
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
