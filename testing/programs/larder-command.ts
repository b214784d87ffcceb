import { execFile } from 'node:child_process';
import { join } from 'node:path';

const program = join(import.meta.dirname, '../../scripts/larder.mjs');

/** How a command ended, and what it printed. */
export interface Ended {
  readonly code: number;
  readonly out: string;
  readonly err: string;
}

/** Runs the `larder` command as from a terminal. @param more of its environment */
export function larderCommand(
  words: readonly string[],
  more: Readonly<Record<string, string>> = {},
): Promise<Ended> {
  const env = { ...process.env, ...more };
  return new Promise((resolve) => {
    execFile(process.execPath, [program, ...words], { encoding: 'utf8', env }, (error, out, err) =>
      resolve({ code: typeof error?.code === 'number' ? error.code : error ? -1 : 0, out, err }),
    );
  });
}
