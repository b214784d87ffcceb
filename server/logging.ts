import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import pino, { type Logger } from 'pino';

/** Structured log in the home folder, ten files of 5 MB at most. */
export function openLog(home: string): Logger {
  const folder = join(home, 'logs');
  mkdirSync(folder, { recursive: true });
  return pino({
    level: 'info',
    transport: {
      target: 'pino-roll',
      options: { file: join(folder, 'keen-larder'), extension: '.log', size: '5m', limit: { count: 10 } },
    },
  });
}
