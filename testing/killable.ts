import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { until } from './bench.ts';

/** The server as it is started for real, in a process that can be killed. */
export class KillableServer {
  private child: ChildProcess | undefined;
  private url = '';
  private key = '';

  /** @param adb address of the phone that it follows */
  constructor(
    private readonly home: string,
    private readonly adb: () => string,
  ) {}

  /** Resolves once it is ready and the phone is there. */
  async start(): Promise<void> {
    const link = await new Promise<string>((resolve, reject) => {
      const main = join(import.meta.dirname, '../server/dist/server.mjs');
      const args = [
        '--home',
        this.home,
        '--port',
        '0',
        '--phone',
        this.adb(),
        '--poll-ms',
        '80',
        '--no-adb-server',
      ];
      const started = spawn(process.execPath, [main, ...args], {
        stdio: ['ignore', 'pipe', 'inherit'],
      });
      this.child = started;
      started.once('exit', () => reject(new Error('the server ended before it was ready')));
      createInterface({ input: started.stdout }).on('line', (line) => {
        const link = /ready at (\S+)/.exec(line)?.[1];
        if (link) resolve(link);
      });
    });
    const { origin, searchParams } = new URL(link);
    [this.url, this.key] = [origin, searchParams.get('key') ?? ''];
    await until('the phone', async () =>
      (await this.ask<{ presence: string }[]>('/phones')).some(({ presence }) => presence === 'here'),
    );
  }

  /** Asks it to end; resolves to the milliseconds that it took. */
  async end(): Promise<number> {
    const { child } = this;
    const gone = new Promise((resolve) => child!.once('exit', resolve));
    const since = performance.now();
    child!.kill('SIGTERM');
    await gone;
    return performance.now() - since;
  }

  /** `kill -9` */
  async kill(): Promise<void> {
    const { child } = this;
    if (!child || child.exitCode !== null || child.signalCode !== null) return;
    const gone = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGKILL');
    await gone;
  }

  async ask<T>(path: string, body?: object, method = 'POST'): Promise<T> {
    const authorization = `Bearer ${this.key}`;
    const answer = await fetch(`${this.url}/api${path}`, {
      headers: { authorization, ...(body && { 'content-type': 'application/json' }) },
      ...(body && {
        method,
        body: JSON.stringify(body),
      }),
    });
    return (await answer.json()) as T;
  }
}
