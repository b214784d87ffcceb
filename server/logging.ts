import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import pino, { type Logger } from 'pino';

/** After a disk that took no log, it is tried again. */
const retryMs = 60_000;

/** Structured log in the home folder, ten files of 5 MB at most. A disk that does not take it ends nothing. */
export function openLog(home: string): Logger {
  const folder = join(home, 'logs');
  mkdirSync(folder, { recursive: true });
  return pino({ level: 'info' }, new LogFiles(folder));
}

/** Hands lines to the thread that writes them; what it cannot write is said on stderr. */
class LogFiles {
  private thread: ReturnType<typeof pino.transport> | undefined;
  private brokenAt = 0;

  constructor(private readonly folder: string) {
    this.start();
  }

  write(line: string): void {
    if (!this.thread && performance.now() - this.brokenAt > retryMs) this.start();
    try {
      if (this.thread) this.thread.write(line);
      else process.stderr.write(line);
    } catch (error) {
      this.fail(error as Error);
      process.stderr.write(line);
    }
  }

  private start(): void {
    const thread = pino.transport({
      target: 'pino-roll',
      options: {
        file: join(this.folder, 'keen-larder'),
        extension: '.log',
        size: '5m',
        limit: { count: 10 },
      },
    });
    thread.on('error', (error: Error) => this.fail(error));
    this.thread = thread;
  }

  private fail(error: Error): void {
    this.thread = undefined;
    this.brokenAt = performance.now();
    process.stderr.write(`The log cannot be written: ${error.message}\n`);
  }
}
