import { open, truncate } from 'node:fs/promises';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';

const pieceBytes = 1 << 20;
const zeros = Buffer.alloc(pieceBytes);

/** Copies a device into a plain file in which zeros take no space. */
export async function copySparse(device: ByteSource, path: string): Promise<void> {
  const file = await open(path, 'w');
  try {
    await truncate(path, device.bytes);
    for (let at = 0; at < device.bytes; at += pieceBytes) {
      const bytes = await device.read(at, Math.min(pieceBytes, device.bytes - at));
      if (!zeros.subarray(0, bytes.length).equals(bytes)) await file.write(bytes, 0, bytes.length, at);
    }
  } finally {
    await file.close();
  }
}
