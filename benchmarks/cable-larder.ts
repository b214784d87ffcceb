/** The application in a process of its own, which is told what to do: `HOME ADB-ADDRESS`. */
import pino from 'pino';
import { armingText } from '@keen-larder/core/runsheet/arming.ts';
import { openKeenLarder } from '@keen-larder/server/keen-larder.ts';
import { startImaging } from '@keen-larder/server/runs/imaging/imaging.ts';
import { startRestoring } from '@keen-larder/server/runs/restoring/restoring.ts';
import { obey } from './orders.ts';

export type LarderOrder =
  | { readonly do: 'keep'; readonly label: string; readonly plainly?: boolean }
  | { readonly do: 'put back'; readonly setId: string; readonly all?: boolean; readonly plainly?: boolean };

export interface Carried {
  readonly ms: number;
  readonly setId: string;
  readonly peakBytes: number;
  readonly log: readonly string[];
}

const serial = 'BENCH-0001';
const [home, address] = process.argv.slice(2) as [string, string];
const app = await openKeenLarder({ home, addresses: [address], pollMs: 50, log: pino({ level: 'silent' }) });
while (app.bench.list()[0]?.presence !== 'here') await new Promise((resolve) => setTimeout(resolve, 20));
await obey<LarderOrder>({}, async (order): Promise<Carried> => {
  if (order.plainly) app.bench.access(serial).cable?.carryPlainly();
  let peakBytes = 0;
  const watch = setInterval(() => (peakBytes = Math.max(peakBytes, process.memoryUsage.rss())), 100);
  const since = performance.now();
  const { id } =
    order.do === 'keep'
      ? await startImaging(app, serial, { picked: ['userdata'], label: order.label, confirmed: [] })
      : await startRestoring(app, serial, {
          puts: [{ setId: order.setId, partition: 'userdata' }],
          restartAfter: false,
          confirmed: ['will-wipe', 'boot-forecast', 'battery', 'version-crossing', 'older-system-newer-data'],
          armedWith: armingText(serial),
          ...(order.all && { writeAll: true }),
        });
  const run = await app.engine.ended(id);
  const ms = performance.now() - since;
  clearInterval(watch);
  const log = app.engine.logOf(id).map(({ text }) => text);
  if (run.state !== 'done') throw new Error(`${run.outcome} ${log.join(' ')}`);
  return { ms, setId: run.setId ?? '', peakBytes, log };
});
await app.close();
process.exit(0);
