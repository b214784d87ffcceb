import xxhash, { type XXHash, type XXHashAPI } from 'xxhash-wasm';
import { unpackLz4 } from '@keen-larder/core/bytes/unpacking/lz4-block.ts';
import { ByteReader, u32At } from './byte-reader.ts';

// lz4, doc/lz4_Frame_format.md: frames one behind the other, frames to be passed over, and the older form that kernels know.

export const frameMark = [0x04, 0x22, 0x4d, 0x18];
export const legacyMark = [0x02, 0x21, 0x4c, 0x18];
const frameMagic = 0x184d2204;
const legacyMagic = 0x184c2102;
export const skippedMagic = 0x184d2a50; // the last four bits are free

/** What a block may refer back to. */
const windowBytes = 65_536;
const legacyBlockBytes = 8 << 20;
const flags = { version: 0xc0, independent: 0x20, blockSums: 0x10, size: 0x08, sum: 0x04, dictionary: 0x01 };

let hashing: Promise<XXHashAPI> | undefined;

/** @throws Error when it is damaged or ends too early */
export async function* unpackLz4Stream(stream: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const reader = new ByteReader(stream);
  hashing ??= xxhash();
  const hash = await hashing;
  try {
    let magic = u32At(await reader.exactly(4));
    for (;;) {
      let next: number | undefined;
      if (magic === frameMagic) yield* frame(reader, hash);
      else if (magic === legacyMagic) next = yield* legacyFrame(reader);
      else if ((magic & ~15) >>> 0 === skippedMagic) await reader.skip(await reader.u32());
      else throw new Error('what follows is not an lz4 frame');
      if (next === undefined) {
        const mark = await reader.upTo(4);
        if (mark.length === 0) return;
        if (mark.length < 4) throw new Error('it ends too early');
        next = u32At(mark);
      }
      magic = next;
    }
  } finally {
    await reader.close();
  }
}

async function* frame(reader: ByteReader, hash: XXHashAPI): AsyncGenerator<Uint8Array> {
  const head = await reader.exactly(2);
  const [flag, form] = [head[0]!, head[1]!];
  const has = (bit: number) => (flag & bit) !== 0;
  if ((flag & flags.version) !== 0x40) throw new Error('it is of another version of lz4');
  if (has(flags.dictionary)) throw new Error('it was packed with a dictionary, which is not here');
  const size = has(flags.size) ? await reader.exactly(8) : new Uint8Array(0);
  const [sum] = await reader.exactly(1);
  if (((hash.h32Raw(Buffer.concat([head, size])) >> 8) & 0xff) !== sum)
    throw new Error('its head is damaged');
  const code = (form >> 4) & 7;
  if (code < 4) throw new Error('its head is damaged');
  const most = 2 ** (8 + 2 * code);
  const content = has(flags.sum) ? hash.create32() : undefined;
  let given = 0;
  for await (const part of blocks(reader, hash, most, has(flags.independent), has(flags.blockSums))) {
    content?.update(part);
    given += part.length;
    yield part;
  }
  await requireSums(reader, content, size, given);
}

async function requireSums(
  reader: ByteReader,
  content: XXHash<number> | undefined,
  size: Uint8Array,
  given: number,
): Promise<void> {
  if (content && (await reader.u32()) !== content.digest()) throw new Error('it does not match its checksum');
  if (size.length === 8 && Buffer.from(size).readBigUInt64LE() !== BigInt(given))
    throw new Error('it is of another size than it says');
}

async function* blocks(
  reader: ByteReader,
  hash: XXHashAPI,
  most: number,
  independent: boolean,
  hasSums: boolean,
): AsyncGenerator<Uint8Array> {
  // What came before stands in front of what comes, for blocks that refer to it.
  const memory = new Uint8Array(windowBytes + most);
  let before = 0;
  for (;;) {
    const word = await reader.u32();
    if (word === 0) return;
    const bytes = word & 0x7fffffff;
    if (bytes > most) throw new Error('a block is larger than blocks are');
    const stored = await reader.exactly(bytes);
    if (hasSums && (await reader.u32()) !== hash.h32Raw(stored))
      throw new Error('a block does not match its checksum');
    let end: number;
    if (word >>> 31) {
      memory.set(stored, before);
      end = before + bytes;
    } else {
      end = unpackLz4(stored, memory.subarray(0, before + most), before);
    }
    yield Uint8Array.from(memory.subarray(before, end));
    if (independent) continue;
    const kept = Math.min(windowBytes, end);
    memory.copyWithin(0, end - kept, end);
    before = kept;
  }
}

/** Ends with the stream, or where another frame begins: its mark is given back. */
async function* legacyFrame(reader: ByteReader): AsyncGenerator<Uint8Array, number | undefined> {
  for (;;) {
    const word = await reader.upTo(4);
    // A kernel's build appends the size of what was packed.
    if (word.length < 4) return undefined;
    const bytes = u32At(word);
    if (bytes === frameMagic || bytes === legacyMagic || (bytes & ~15) >>> 0 === skippedMagic) return bytes;
    if (bytes > legacyBlockBytes + (legacyBlockBytes >> 7))
      throw new Error('a block is larger than blocks are');
    const stored = await reader.upTo(bytes);
    if (stored.length === 0) return undefined;
    if (stored.length < bytes) throw new Error('it ends too early');
    const out = new Uint8Array(legacyBlockBytes);
    yield out.subarray(0, unpackLz4(stored, out));
  }
}
