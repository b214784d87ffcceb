import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { runLarder } from '@keen-larder/cli/program.ts';

const program = join(import.meta.dirname, '../../scripts/larder.mjs');

/** How a command ended, and what it printed. */
export interface Ended {
  readonly code: number;
  readonly out: string;
  readonly err: string;
}

/** Carries out a `larder` command within this process. @param more of its environment */
export async function larderCommand(
  words: readonly string[],
  more: Readonly<Record<string, string>> = {},
): Promise<Ended> {
  const said = { stdout: '', stderr: '' };
  const before = Object.keys(more).map((name) => [name, process.env[name]] as const);
  const streams = (['stdout', 'stderr'] as const).map((name) => {
    const write = process[name].write;
    process[name].write = (text: string | Uint8Array) => {
      said[name] += typeof text === 'string' ? text : Buffer.from(text).toString();
      return true;
    };
    return () => {
      process[name].write = write;
    };
  });
  Object.assign(process.env, more);
  try {
    const code = await runLarder(words);
    return { code, out: said.stdout, err: said.stderr };
  } finally {
    for (const [name, value] of before)
      if (value === undefined) Reflect.deleteProperty(process.env, name);
      else process.env[name] = value;
    for (const giveBack of streams) giveBack();
  }
}

/** Runs the `larder` command as from a terminal. */
export function larderFromTerminal(words: readonly string[]): Promise<Ended> {
  return new Promise((resolve) => {
    execFile(process.execPath, [program, ...words], { encoding: 'utf8' }, (error, out, err) =>
      resolve({ code: typeof error?.code === 'number' ? error.code : error ? -1 : 0, out, err }),
    );
  });
}
