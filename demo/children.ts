import { spawn, type ChildProcess } from 'node:child_process';
import { createInterface } from 'node:readline';
import { environment, flagsFor } from '../scripts/node-flags.mjs';

const running = new Set<ChildProcess>();

/** Runs one of our programs, built or in TypeScript; its standard output is given line by line. */
export function startProgram(
  path: string,
  args: readonly string[],
  onLine: (line: string) => void,
): ChildProcess {
  const child = spawn(process.execPath, [...flagsFor(path), path, ...args], {
    env: environment,
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  running.add(child);
  child.on('exit', () => running.delete(child));
  createInterface({ input: child.stdout }).on('line', onLine);
  return child;
}

/** Ends a program and waits until it is gone. */
export function endProgram(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return Promise.resolve();
  const gone = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  child.kill('SIGTERM');
  const timer = setTimeout(() => child.kill('SIGKILL'), 10_000);
  return gone.finally(() => clearTimeout(timer));
}

export const endAll = (): Promise<unknown> => Promise.all([...running].map(endProgram));
