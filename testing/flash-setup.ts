import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';

declare module 'vitest' {
  export interface ProvidedContext {
    /** Folder of flashes that are composed once; see flashes.ts. */
    flashes: string;
  }
}

/** Vitest sets each of its projects up by itself, and all of them in one process. */
const folderName = 'KEEN_LARDER_TEST_FLASHES';

/** One folder of flashes for all test files, filled as they are needed. */
export default function setup(project: TestProject): () => void {
  const folder = (process.env[folderName] ??= mkdtempSync(join(tmpdir(), 'keen-larder-flash-')));
  project.provide('flashes', folder);
  return () => rmSync(folder, { recursive: true, force: true });
}
