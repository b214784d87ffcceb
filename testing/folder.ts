import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** A folder for one test file; `remove` it at the end. */
export function testFolder(): { path: string; remove(): void } {
  const path = mkdtempSync(join(tmpdir(), 'keen-larder-test-'));
  return { path, remove: () => rmSync(path, { recursive: true, force: true }) };
}
