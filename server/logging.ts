import { existsSync, mkdirSync, readFileSync } from 'node:fs';
import { SourceMap } from 'node:module';
import { dirname, join } from 'node:path';
import pino, { type Logger } from 'pino';

/** After a disk that took no log, it is tried again. */
const retryMs = 60_000;

/** Structured log in the home folder, ten files of 5 MB at most. A disk that does not take it ends nothing. */
export function openLog(home: string): Logger {
  const folder = join(home, 'logs');
  mkdirSync(folder, { recursive: true });
  const err = (error: Error) => {
    const plain = pino.stdSerializers.err(error);
    return { ...plain, stack: inSources(plain.stack) };
  };
  return pino({ level: 'info', serializers: { err } }, new LogFiles(folder));
}

const place = /(?:file:\/\/)?(?<path>\/[^\s()]+\.mjs):(?<line>\d+):(?<column>\d+)/g;

/**
 * A stack of the built program, with places in its sources. The map is read for it and let go again: Node's own way keeps some 45 MiB from the
 * first error on.
 */
export function inSources(stack: string): string {
  const maps = new Map<string, SourceMap | undefined>();
  return stack.replace(place, (whole, path: string, line: string, column: string) => {
    if (!maps.has(path)) maps.set(path, mapBeside(path));
    const found = maps.get(path)?.findEntry(Number(line) - 1, Number(column) - 1);
    if (!found || !('originalSource' in found)) return whole;
    const { originalSource, originalLine, originalColumn } = found;
    return `${join(dirname(path), originalSource)}:${originalLine + 1}:${originalColumn + 1}`;
  });
}

function mapBeside(path: string): SourceMap | undefined {
  const map = `${path}.map`;
  if (!existsSync(map)) return undefined;
  return new SourceMap(JSON.parse(readFileSync(map, 'utf8')) as ConstructorParameters<typeof SourceMap>[0]);
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
