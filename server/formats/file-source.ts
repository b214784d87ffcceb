import { open, type FileHandle } from 'node:fs/promises';
import { writeWhole } from '../disk/whole-writes.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';

/** An open file as a source. */
export const fileSource = (file: FileHandle, bytes: number): ByteSource => ({
  bytes,
  async read(offset, length) {
    const memory = new Uint8Array(length);
    const { bytesRead } = await file.read(memory, 0, length, offset);
    return memory.subarray(0, bytesRead);
  },
});

const pieceBytes = 1 << 20;

/** A source's bytes, or a part of them, in order. */
export async function* sourceBytes(
  source: ByteSource,
  offset = 0,
  bytes = source.bytes - offset,
): AsyncGenerator<Uint8Array> {
  for (let done = 0; done < bytes; done += pieceBytes) {
    yield await source.read(offset + done, Math.min(pieceBytes, bytes - done));
  }
}

/** Writes a stream into a file in which long stretches of zeros take no space; resolves to its size. */
export async function writeSparsely(path: string, parts: AsyncIterable<Uint8Array>): Promise<number> {
  const file = await open(path, 'w');
  let at = 0;
  try {
    for await (const part of parts) {
      if (part.some((byte) => byte !== 0)) await writeWhole(file, part, at);
      at += part.length;
    }
    await file.truncate(at);
  } finally {
    await file.close();
  }
  return at;
}
