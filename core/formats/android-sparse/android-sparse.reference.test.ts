// Judged by img2simg (Debian's android-sdk-libsparse-utils, AOSP libsparse).
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { testFolder } from '../../../e2e/support/bench.ts';
import { memorySource } from '../../bytes/source.ts';
import { sparsePieces } from './index.ts';

const folder = testFolder();
afterAll(folder.remove);

it('gives back the bytes that img2simg packed', async () => {
  const raw = new Uint8Array(4096 * 40);
  for (let i = 0; i < 9000; i++) raw[4096 * 3 + i] = (i * 31) & 0xff;
  raw.fill(0xab, 4096 * 20, 4096 * 23);
  const [rawPath, sparsePath] = [join(folder.path, 'raw.img'), join(folder.path, 'sparse.img')];
  writeFileSync(rawPath, raw);
  execFileSync('img2simg', [rawPath, sparsePath]);
  const out = new Uint8Array(raw.length);
  let end = 0;
  for await (const piece of sparsePieces(memorySource(readFileSync(sparsePath)))) {
    expect(piece.offset).toBe(end);
    if ('bytes' in piece) out.set(piece.bytes, piece.offset);
    if ('fill' in piece) new Uint32Array(out.buffer, piece.offset, piece.length / 4).fill(piece.fill);
    end =
      piece.offset + ('bytes' in piece ? piece.bytes.length : 'fill' in piece ? piece.length : piece.skip);
  }
  expect(end).toBe(raw.length);
  expect(Buffer.from(out).equals(raw)).toBe(true);
});
