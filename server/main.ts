/** `npm start -- --home DIR --port N --phone HOST:PORT`: the application. */
import { homedir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { openLog } from './logging.ts';
import { usualServerPort } from './links/adb/server.ts';
import { serve } from './serve.ts';

const { values } = parseArgs({
  options: {
    home: { type: 'string', default: join(homedir(), '.keen-larder') },
    port: { type: 'string', default: '4173' },
    phone: { type: 'string', multiple: true, default: [] },
    nickname: { type: 'string', multiple: true, default: [] },
    practice: { type: 'string' },
    'adb-port': {
      type: 'string',
      default: process.env['ANDROID_ADB_SERVER_PORT'] ?? String(usualServerPort),
    },
    'no-adb-server': { type: 'boolean', default: false },
    'poll-ms': { type: 'string' },
    'overdue-ms': { type: 'string' },
  },
});

const log = openLog(values.home);
try {
  const serving = await serve({
    home: values.home,
    port: Number(values.port),
    addresses: values.phone,
    ...(!values['no-adb-server'] && { adbServerPort: Number(values['adb-port']) }),
    nicknames: Object.fromEntries(values.nickname.map((each) => each.split('=', 2) as [string, string])),
    log,
    ...(values.practice && { practiceUrl: values.practice }),
    ...(values['poll-ms'] && { pollMs: Number(values['poll-ms']) }),
    ...(values['overdue-ms'] && { overdueMs: Number(values['overdue-ms']) }),
  });
  process.stdout.write(`Keen Larder is ready at ${serving.url}\n`);
  for (const signal of ['SIGINT', 'SIGTERM'] as const) {
    process.on(signal, () => void serving.close().then(() => process.exit(0)));
  }
} catch (error) {
  process.stderr.write(`${(error as Error).message}\n`);
  process.exit(1);
}
