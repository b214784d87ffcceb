import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';
import { composeFlash } from '@keen-larder/standin/flash/compose.ts';
import { models } from '@keen-larder/standin/models.ts';

declare module 'vitest' {
  export interface ProvidedContext {
    /** A Knot 3's flash as it leaves the works, to be copied. */
    flash: string;
  }
}

/** Composes one flash for all test files of a project. */
export default async function setup(project: TestProject): Promise<() => void> {
  const folder = mkdtempSync(join(tmpdir(), 'keen-larder-flash-'));
  const path = join(folder, 'knot3.flash');
  await composeFlash(path, models.knot3, 'system-march');
  project.provide('flash', path);
  return () => rmSync(folder, { recursive: true, force: true });
}
