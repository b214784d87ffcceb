import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { environment, flagsFor } from '../scripts/node-flags.mjs';

/** Of Linux's accounts (sysconf(_SC_CLK_TCK)). */
const ticksPerSecond = 100;

/** Does what it is told on its standard input, a line of JSON each, and answers with one. For a program of a benchmark. */
export async function obey<Order>(
  ready: unknown,
  carryOut: (order: Order) => Promise<unknown>,
): Promise<void> {
  const answer = (value: unknown) => process.stdout.write(`${JSON.stringify(value ?? null)}\n`);
  answer(ready);
  for await (const line of createInterface({ input: process.stdin }))
    answer(await carryOut(JSON.parse(line) as Order));
}

/** A program of a benchmark in a process of its own, which is told what to do. */
export class Told<Order> {
  private readonly answers: AsyncIterator<string>;
  private readonly child: ChildProcess;

  /** @param name of a source here, or of what was built */
  constructor(name: string, args: readonly string[]) {
    const folder = name.endsWith('.mjs') ? '../server/dist' : '.';
    const program = join(import.meta.dirname, folder, name);
    this.child = spawn(process.execPath, [...flagsFor(name), program, ...args], {
      env: environment,
      stdio: ['pipe', 'pipe', 'inherit'],
    });
    this.answers = createInterface({ input: this.child.stdout! })[Symbol.asyncIterator]();
  }

  /** Its next answer: the first says that it is ready. @throws Error when it has ended */
  async answer<T>(): Promise<T> {
    const { done, value } = await this.answers.next();
    if (done) throw new Error(`a program ended with ${this.child.exitCode}`);
    return JSON.parse(value) as T;
  }

  tell<T>(order: Order): Promise<T> {
    this.child.stdin!.write(`${JSON.stringify(order)}\n`);
    return this.answer();
  }

  /** Processor time that it has taken, of all its threads. */
  get cpuSeconds(): number {
    const fields = readFileSync(`/proc/${this.child.pid}/stat`, 'latin1').split(') ')[1]!.split(' ');
    return (Number(fields[11]) + Number(fields[12])) / ticksPerSecond;
  }

  async end(): Promise<void> {
    this.child.stdin!.end();
    this.child.kill();
    if (this.child.exitCode === null && this.child.signalCode === null) await once(this.child, 'close');
  }
}
