import { availableParallelism } from 'node:os';
import { promisify } from 'node:util';
import { constants, crc32, deflateRaw } from 'node:zlib';

const deflate = promisify<Buffer, object, Buffer>(deflateRaw);
const pieceBytes = 1 << 20;
/** What a piece packs to at the most, in one go instead of many. */
const packedBytes = pieceBytes + (64 << 10);
/** The slowest that packs well: a cable is waited for, or this. */
const level = 1;
/** Each takes a thread of the runtime's pool, which has four. */
const mostAtOnce = Math.max(2, Math.min(4, availableParallelism()));
/** Nothing but the magic, deflate, and that it comes from Unix: RFC 1952, 2.3. */
const head = Buffer.from([0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 4, 3]);
/** A last block with nothing in it: RFC 1951, 3.2.3. */
const lastBlock = Buffer.from([0x03, 0x00]);

/**
 * Packs bytes into one gzip stream, pieces of it beside each other: one thread packs slower than a cable carries. A piece knows nothing
 * of the one before, which costs less than a hundredth of the size.
 * @param parts each good until the next one is asked for
 */
export async function* gzipped(parts: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  let [crc, bytes] = [0, 0];
  const free: Buffer[] = [];
  const coming: Promise<Buffer>[] = [];
  const pack = (memory: Buffer, filled: number) => {
    const piece = memory.subarray(0, filled);
    crc = crc32(piece, crc);
    bytes += filled;
    const options = { level, chunkSize: packedBytes, finishFlush: constants.Z_FULL_FLUSH };
    const packed = deflate(piece, options).finally(() => free.push(memory));
    // What it throws is told when its turn comes.
    packed.catch(() => undefined);
    coming.push(packed);
  };
  yield head;
  let memory: Buffer = Buffer.allocUnsafeSlow(pieceBytes);
  let filled = 0;
  for await (const part of parts) {
    for (let at = 0; at < part.length;) {
      const taken = part.subarray(at, at + pieceBytes - filled);
      memory.set(taken, filled);
      filled += taken.length;
      at += taken.length;
      if (filled < pieceBytes) continue;
      pack(memory, filled);
      if (coming.length >= mostAtOnce) yield await coming.shift()!;
      [memory, filled] = [free.pop() ?? Buffer.allocUnsafeSlow(pieceBytes), 0];
    }
  }
  if (filled > 0) pack(memory, filled);
  for (const packed of coming) yield await packed;
  const tail = Buffer.alloc(8);
  tail.writeUInt32LE(crc, 0);
  tail.writeUInt32LE(bytes % 2 ** 32, 4);
  yield Buffer.concat([lastBlock, tail]);
}
