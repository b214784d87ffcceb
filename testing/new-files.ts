import type { NewFile } from '@keen-larder/core/formats/file-system/building.ts';
import type { Attribute } from '@keen-larder/core/formats/file-system/reading.ts';

// What is put into file systems that are built for tests.

export const madeAt = 1_780_000_000;

/** In pieces of odd sizes. */
export async function* pieces(bytes: Uint8Array, size = 70_001): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < bytes.length; at += size) yield await Promise.resolve(bytes.subarray(at, at + size));
}

export function bytesOf(length: number, seed: number): Uint8Array {
  const bytes = new Uint8Array(length);
  for (let i = 0; i < length; i++) bytes[i] = i * seed + (i >> 8);
  return bytes;
}

export const label = (text: string): Attribute => ({
  name: 'security.selinux',
  value: Buffer.from(`${text}\0`),
});

export const entry = (path: string, type: NewFile['type'], over: Partial<NewFile> = {}): NewFile => ({
  path,
  type,
  permissions: type === 'directory' ? 0o755 : 0o644,
  uid: 0,
  gid: 0,
  modifiedAt: madeAt,
  attributes: [],
  ...over,
});

export const file = (path: string, bytes: Uint8Array, over: Partial<NewFile> = {}): NewFile =>
  entry(path, 'file', { bytes: bytes.length, content: pieces(bytes), ...over });
