import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, renameSync } from 'node:fs';
import { join } from 'node:path';

/** What is built for tests, kept from one run to the next. */
export const cacheFolder = join(import.meta.dirname, '../../node_modules/.cache/keen-larder');

/** A C program of this folder, linked statically; built where its source is new. @returns its path */
export function compiled(name: string, flags: readonly string[] = []): string {
  const source = join(import.meta.dirname, name);
  const key = createHash('sha256').update(readFileSync(source)).update(flags.join(' ')).digest('hex');
  const binary = join(cacheFolder, `${name.replace('.c', '')}-${key.slice(0, 12)}`);
  if (existsSync(binary)) return binary;
  mkdirSync(cacheFolder, { recursive: true });
  const made = `${binary}.${process.pid}`;
  execFileSync('cc', ['-static', '-O1', ...flags, '-o', made, source]);
  renameSync(made, binary);
  return binary;
}
