/** The application in a process of its own, which is told what to do: `HOME ADB-ADDRESS...`. */
import pino from 'pino';
import { armingText } from '@keen-larder/core/runsheet/arming.ts';
import { openKeenLarder } from '@keen-larder/server/keen-larder.ts';
import { startImaging } from '@keen-larder/server/runs/imaging/imaging.ts';
import { startRestoring } from '@keen-larder/server/runs/restoring/restoring.ts';
import { obey } from './orders.ts';

export type LarderOrder =
  | { readonly do: 'keep'; readonly label: string; readonly plainly?: boolean }
  /** What is done while nobody uses the bench. */
  | { readonly do: 'rest' }
  /** All phones at once. */
  | { readonly do: 'keep all'; readonly label: string }
  | { readonly do: 'put back'; readonly setId: string; readonly all?: boolean; readonly plainly?: boolean };

export interface Carried {
  readonly ms: number;
  readonly setId: string;
  readonly peakBytes: number;
  readonly log: readonly string[];
}

const [home, ...addresses] = process.argv.slice(2) as [string, ...string[]];
const app = await openKeenLarder({ home, addresses, pollMs: 50, log: pino({ level: 'silent' }) });
const here = () => app.bench.list().filter(({ presence }) => presence === 'here');
while (here().length < addresses.length) await new Promise((resolve) => setTimeout(resolve, 20));
const serials = here().map((phone) => phone.serial);
const [first] = serials as [string];

const keep = (serial: string, label: string) =>
  startImaging(app, serial, { picked: ['userdata'], label, confirmed: [] });

/** Milliseconds that each of the phones took, all at once. */
async function keepAll(label: string): Promise<number[]> {
  const since = performance.now();
  return Promise.all(
    serials.map(async (serial) => {
      const { id } = await keep(serial, label);
      const { state, outcome } = await app.engine.ended(id);
      if (state !== 'done') throw new Error(outcome);
      return performance.now() - since;
    }),
  );
}

await obey<LarderOrder>({}, async (order): Promise<Carried | number[] | undefined> => {
  if (order.do === 'keep all') return keepAll(order.label);
  if (order.do === 'rest') {
    await app.pieceFiller.fillAll();
    return undefined;
  }
  if (order.plainly) app.bench.access(first).cable?.carryPlainly();
  let peakBytes = 0;
  const watch = setInterval(() => (peakBytes = Math.max(peakBytes, process.memoryUsage.rss())), 100);
  const since = performance.now();
  const { id } =
    order.do === 'keep'
      ? await keep(first, order.label)
      : await startRestoring(app, first, {
          puts: [{ setId: order.setId, partition: 'userdata' }],
          restartAfter: false,
          confirmed: ['will-wipe', 'boot-forecast', 'battery', 'version-crossing', 'older-system-newer-data'],
          armedWith: armingText(first),
          ...(order.all && { writeAll: true }),
        });
  const run = await app.engine.ended(id);
  const ms = performance.now() - since;
  clearInterval(watch);
  const log = app.engine
    .logOf(id)
    .map(({ at, text }) => `${((at - run.startedAt) / 1000).toFixed(1)} s: ${text}`);
  if (run.state !== 'done') throw new Error(`${run.outcome} ${log.join(' ')}`);
  return { ms, setId: run.setId ?? '', peakBytes, log };
});
await app.close();
process.exit(0);
