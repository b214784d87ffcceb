import type { ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { startProgram } from './children.ts';

export interface Standins {
  readonly child: ChildProcess;
  readonly controlUrl: string;
  readonly phones: readonly {
    readonly serial: string;
    readonly adb: string;
    readonly fastboot: string;
    readonly loader?: string | undefined;
  }[];
}

const program = join(import.meta.dirname, '..', 'server', 'dist', 'standins.mjs');

/** Starts the simulated phones in a process of their own, as real phones are computers of their own. */
export function startStandins(
  home: string,
  fast: boolean,
  options: readonly string[] = [],
): Promise<Standins> {
  return new Promise((resolve, reject) => {
    const phones: { serial: string; adb: string; fastboot: string; loader?: string }[] = [];
    const child = startProgram(program, ['--home', home, ...(fast ? ['--fast'] : []), ...options], (line) => {
      const value = JSON.parse(line) as {
        serial: string;
        adb: string;
        fastboot: string;
        loader?: string;
        control?: string;
      };
      if (value.control) resolve({ child, controlUrl: value.control, phones });
      else phones.push(value);
    });
    child.once('exit', (code) => reject(new Error(`the simulated phones ended with ${code}`)));
  });
}

/** Where the application finds a simulated phone, whatever its mode. */
export const addressesOf = ({ adb, fastboot, loader }: Standins['phones'][number]): string[] => [
  adb,
  `fastboot:${fastboot}`,
  ...(loader ? [`loader:${loader}`] : []),
];
