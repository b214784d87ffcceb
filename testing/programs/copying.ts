import { spawn } from 'node:child_process';
import type { Socket } from 'node:net';
import { createInterface } from 'node:readline';

/** Begun while this process is small: a large one takes long to begin another. */
const shell = spawn('sh', { stdio: ['pipe', 'pipe', 'inherit'] });
const waiting: ((status: string) => void)[] = [];
createInterface(shell.stdout).on('line', (status) => waiting.shift()?.(status));
// It ends with this process, and does not keep it.
shell.unref();
for (const stream of [shell.stdin, shell.stdout]) (stream as Socket).unref();

const quoted = (word: string) => `'${word.replaceAll("'", String.raw`'\''`)}'`;

/** Copies a file; what is empty in it takes no room. */
export async function copySparse(from: string, to: string): Promise<void> {
  const status = await new Promise<string>((resolve) => {
    waiting.push(resolve);
    shell.stdin.write(`cp --sparse=always ${quoted(from)} ${quoted(to)}; echo $?\n`);
  });
  if (status !== '0') throw new Error(`${from} cannot be copied to ${to}`);
}
