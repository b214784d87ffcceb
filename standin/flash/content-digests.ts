import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Blake3Hasher } from '@napi-rs/blake-hash';
import { Hasher } from '../shell/hasher.ts';

type Parts = AsyncIterable<Uint8Array> | Iterable<Uint8Array>;

/** Digests that were computed, by algorithm and by the BLAKE3 of what they are of. */
const known = new Map<string, string>();
/** Where other processes keep theirs as well, a file each. */
let shared: string | undefined;

/** From now on digests are shared with all processes that name the same folder. */
export function shareDigestsIn(folder: string): void {
  mkdirSync(folder, { recursive: true });
  shared = folder;
}

function recall(key: string): string | undefined {
  const mine = known.get(key);
  if (mine !== undefined || !shared) return mine;
  const path = join(shared, key);
  return existsSync(path) ? readFileSync(path, 'utf8') : undefined;
}

function remember(key: string, digest: string): void {
  known.set(key, digest);
  if (!shared) return;
  const partial = join(shared, `${key}.${process.pid}`);
  writeFileSync(partial, digest);
  renameSync(partial, join(shared, key));
}

/** Computes a digest, whoever knows it. */
export async function digestOf(parts: Parts, algorithm: string): Promise<string> {
  const hasher = new Hasher(algorithm);
  try {
    for await (const part of parts) await hasher.update(part);
    return await hasher.digest();
  } finally {
    hasher.close();
  }
}

/**
 * A digest of what lies on a flash. A phone has processors of its own, which the computer that it is simulated on lends
 * it: what was digested before is recognised by a hash that takes a thirtieth of the time, and told again.
 * @param parts reads it, twice where it is new
 * @returns lower-case hexadecimal
 */
export async function contentDigest(parts: () => Parts, algorithm: string): Promise<string> {
  const recognising = new Blake3Hasher();
  for await (const part of recognised(parts(), recognising)) void part;
  const before = recall(`${algorithm} ${recognising.digest('hex')}`);
  if (before !== undefined) return before;
  const again = new Blake3Hasher();
  const digest = await digestOf(recognised(parts(), again), algorithm);
  // Somebody may have written meanwhile.
  remember(`${algorithm} ${again.digest('hex')}`, digest);
  return digest;
}

/** Longer streams are digested as they come. */
const mostHeldBytes = 16 << 20;

/** As `contentDigest`, of what a command reads, once. */
export async function streamDigest(parts: AsyncIterable<Uint8Array>, algorithm: string): Promise<string> {
  const iterator = parts[Symbol.asyncIterator]();
  const held: Uint8Array[] = [];
  const recognising = new Blake3Hasher();
  let bytes = 0;
  for (;;) {
    const next = await iterator.next();
    if (next.done) break;
    const part = new Uint8Array(next.value);
    held.push(part);
    bytes += part.length;
    if (bytes > mostHeldBytes) return digestOf(rest(held, iterator), algorithm);
    recognising.update(Buffer.from(part.buffer));
  }
  const key = `${algorithm} ${recognising.digest('hex')}`;
  const before = recall(key);
  if (before !== undefined) return before;
  const digest = await digestOf(held, algorithm);
  remember(key, digest);
  return digest;
}

async function* rest(
  held: readonly Uint8Array[],
  iterator: AsyncIterator<Uint8Array>,
): AsyncGenerator<Uint8Array> {
  yield* held;
  for (;;) {
    const next = await iterator.next();
    if (next.done) return;
    yield next.value;
  }
}

async function* recognised(parts: Parts, hasher: Blake3Hasher): AsyncGenerator<Uint8Array> {
  for await (const part of parts) {
    hasher.update(Buffer.from(part.buffer, part.byteOffset, part.length));
    yield part;
  }
}
