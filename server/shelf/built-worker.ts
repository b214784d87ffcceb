import { existsSync } from 'node:fs';

/**
 * Threads run built JavaScript: with the TypeScript loader in each of them they would take some
 * twenty megabytes more apiece. `npm run build` makes them, and every command does so when they are old.
 */
export function builtWorker(
  name: 'chunk-worker' | 'digest-worker' | 'operations-worker' | 'seven-zip-worker' | 'untrusted-worker',
): URL {
  const url = new URL(`../dist/${name}.mjs`, import.meta.url);
  if (!existsSync(url)) throw new Error('The programs have not been built. Run `npm run build`.');
  return url;
}
