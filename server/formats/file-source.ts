import { open, statfs, type FileHandle } from 'node:fs/promises';
import { dirname } from 'node:path';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
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

/** A stream that would take more of the disk than there is room for. */
export class NoRoomFor extends Error {
  override readonly name = 'NoRoomFor';

  constructor(readonly roomBytes: number) {
    super(`it takes more than the ${sizeText(roomBytes)} for which the disk has room`);
  }
}

/** This much of a disk is left to others. */
const sparedBytes = 256 << 20;

async function roomIn(folder: string): Promise<number> {
  const { bavail, bsize } = await statfs(folder);
  return Math.max(0, bavail * bsize - sparedBytes);
}

const zeros = Buffer.alloc(pieceBytes);
function isZeros(bytes: Uint8Array): boolean {
  for (let at = 0; at < bytes.length; at += pieceBytes) {
    const piece = bytes.subarray(at, at + pieceBytes);
    if (!zeros.subarray(0, piece.length).equals(piece)) return false;
  }
  return true;
}

/**
 * Writes a stream into a file in which long stretches of zeros take no space; resolves to its size.
 * @param most bytes that may be written; nearly all the room of the disk unless it is said
 * @throws NoRoomFor once there are more
 */
export async function writeSparsely(
  path: string,
  parts: AsyncIterable<Uint8Array>,
  most?: number,
): Promise<number> {
  const room = most ?? (await roomIn(dirname(path)));
  let written = 0;
  const file = await open(path, 'w');
  let at = 0;
  try {
    for await (const part of parts) {
      if (!isZeros(part)) {
        written += part.length;
        if (written > room) throw new NoRoomFor(room);
        await writeWhole(file, part, at);
      }
      at += part.length;
    }
    await file.truncate(at);
  } finally {
    await file.close();
  }
  return at;
}
