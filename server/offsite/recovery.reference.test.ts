// What is sealed can be recovered without this program: by a program in Python that goes by docs/shelf-format.md alone, with
// Debian's python3-cryptography (OpenSSL) for AES-GCM and HKDF, hashlib's scrypt, and zstd.
import { execFileSync, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { MemoryBucket } from '../../testing/offsite/memory-bucket.ts';
import { OffsiteBench, passphrase } from '../../testing/offsite/offsite-bench.ts';
import { ShelfWorkers } from '../shelf/threads/workers.ts';

const workers = new ShelfWorkers();
const bucket = new MemoryBucket();
const bench = await new OffsiteBench(bucket, 'Front bench', workers).begin();
afterAll(async () => {
  await bench.close();
  await workers.close();
});
const recover = join(import.meta.dirname, '../../testing/offsite/recover.py');

it('is recovered from the objects and the passphrase', async () => {
  await bench.setUp();
  const text = Buffer.from('ro.build.id=TW3\n'.repeat(60_000));
  const images = {
    boot: randomBytes(700_001),
    system: text,
    misc: Buffer.alloc(1 << 20),
    efs: randomBytes(1),
  };
  await bench.bench.keep(bench.open, 'Before the update', images);
  await bench.bench.keep(bench.open, 'After it', { boot: images.boot, system: text.subarray(0, 500_000) });
  await bench.sync();
  const folder = join(bench.bench.folder.path, 'objects');
  for (const [name, bytes] of bucket.objects) {
    mkdirSync(dirname(join(folder, name)), { recursive: true });
    writeFileSync(join(folder, name), bytes);
  }
  const out = join(bench.bench.folder.path, 'out');
  execFileSync('/usr/bin/python3', [recover, folder, passphrase, out], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  for (const [partition, bytes] of Object.entries(images))
    expect(readFileSync(join(out, 'Before the update', partition)).equals(bytes)).toBe(true);
  expect(readFileSync(join(out, 'After it', 'system')).equals(text.subarray(0, 500_000))).toBe(true);
  const wrong = spawnSync('/usr/bin/python3', [recover, folder, 'plums in the attic', join(out, 'no')], {
    encoding: 'utf8',
  });
  expect(wrong).toMatchObject({ status: 1, stderr: 'the passphrase does not open it\n' });
});
