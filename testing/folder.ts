import { execFileSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/**
 * A folder for one test file; `remove` it at the end.
 * @param onDisk on a disk, for tools that cannot write to memory
 */
export function testFolder(onDisk = false): { path: string; remove(): void } {
  const path = mkdtempSync(join(onDisk ? '/var/tmp' : tmpdir(), 'keen-larder-test-'));
  return { path, remove: () => rmSync(path, { recursive: true, force: true }) };
}

/** Unpacks files that are kept for the tests. */
export const unpackFixture = (name: string, into: string): void =>
  void execFileSync('tar', [
    ...['-C', into, '--zstd', '-xf'],
    fileURLToPath(new URL(`fixtures/${name}.tar.zst`, import.meta.url)),
  ]);
