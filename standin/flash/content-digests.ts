import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { Hasher } from '../shell/hasher.ts';
import type { Device } from './flash.ts';
import { Recognition } from './recognition.ts';

type Parts = AsyncIterable<Uint8Array> | Iterable<Uint8Array>;

/** Digests that were computed, by algorithm and by what their content is recognised by. */
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
 * A digest of content. A phone has processors of its own, which the computer that it is simulated on lends it: what was digested
 * before is recognised by a hash that takes a thirtieth of the time, and told again.
 * @param parts reads it, twice where it is new
 * @returns lower-case hexadecimal
 */
export async function contentDigest(parts: () => Parts, algorithm: string): Promise<string> {
  const recognition = new Recognition();
  for await (const part of parts()) recognition.update(part);
  return knownDigest(recognition.digest(), parts, algorithm);
}

/**
 * As `contentDigest`, of a stretch of a device; only what was written to since it was last asked for is read. A flash with faults is
 * read and digested each time, since what comes out may differ.
 */
export async function deviceDigest(
  device: Device,
  { offset, bytes }: ByteRange,
  algorithm: string,
): Promise<string> {
  const parts = () => readParts(device, offset, bytes);
  const key = await device.recognise?.(offset, bytes);
  return key === undefined ? digestOf(parts(), algorithm) : knownDigest(key, parts, algorithm);
}

async function knownDigest(key: string, parts: () => Parts, algorithm: string): Promise<string> {
  const before = recall(`${algorithm} ${key}`);
  if (before !== undefined) return before;
  const again = new Recognition();
  const digest = await digestOf(recognised(parts(), again), algorithm);
  // Somebody may have written meanwhile.
  remember(`${algorithm} ${again.digest()}`, digest);
  return digest;
}

/** A part is good until the next is asked for. */
async function* readParts(device: Device, offset: number, bytes: number): AsyncGenerator<Uint8Array> {
  const memory = Buffer.allocUnsafeSlow(Math.min(bytes, 1 << 20));
  for (let at = 0; at < bytes; at += memory.length)
    yield await device.read(offset + at, Math.min(memory.length, bytes - at), memory);
}

/** Longer streams are digested as they come. */
const mostHeldBytes = 16 << 20;

/** As `contentDigest`, of what a command reads, once. */
export async function streamDigest(parts: AsyncIterable<Uint8Array>, algorithm: string): Promise<string> {
  const iterator = parts[Symbol.asyncIterator]();
  const held: Uint8Array[] = [];
  const recognition = new Recognition();
  let bytes = 0;
  for (;;) {
    const next = await iterator.next();
    if (next.done) break;
    const part = new Uint8Array(next.value);
    held.push(part);
    bytes += part.length;
    if (bytes > mostHeldBytes) return digestOf(rest(held, iterator), algorithm);
    recognition.update(part);
  }
  return knownDigest(recognition.digest(), () => held, algorithm);
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

async function* recognised(parts: Parts, recognition: Recognition): AsyncGenerator<Uint8Array> {
  for await (const part of parts) {
    recognition.update(part);
    yield part;
  }
}
