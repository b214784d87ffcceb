import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { until } from './bench.ts';

/** The server as it is started for real, in a process that can be killed. */
export class KillableServer {
  private child: ChildProcess | undefined;
  private url = '';

  /** @param adb address of the phone that it follows */
  constructor(
    private readonly home: string,
    private readonly adb: () => string,
  ) {}

  /** Resolves once it is ready and the phone is there. */
  async start(): Promise<void> {
    this.url = await new Promise<string>((resolve, reject) => {
      const main = join(import.meta.dirname, '../server/main.ts');
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
      const started = spawn(process.execPath, ['--import', 'tsx', main, ...args], {
        stdio: ['ignore', 'pipe', 'inherit'],
      });
      this.child = started;
      started.once('exit', () => reject(new Error('the server ended before it was ready')));
      createInterface({ input: started.stdout }).on('line', (line) => {
        const url = /ready at (\S+)/.exec(line)?.[1];
        if (url) resolve(url);
      });
    });
    await until('the phone', async () =>
      (await this.ask<{ presence: string }[]>('/phones')).some(({ presence }) => presence === 'here'),
    );
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
    const answer = await fetch(`${this.url}/api${path}`, {
      ...(body && {
        method,
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify(body),
      }),
    });
    return (await answer.json()) as T;
  }
}
