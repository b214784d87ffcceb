/** The application in a process of its own, so that its memory is its own: images one partition, reports. */
import pino from 'pino';
import { openKeenLarder } from '@keen-larder/server/keen-larder.ts';
import { startImaging } from '@keen-larder/server/runs/imaging.ts';

/** One line of JSON on standard output. */
export interface ImagingReport {
  readonly state: string;
  readonly outcome: string | undefined;
  readonly elapsedMs: number;
  readonly bytes: number | undefined;
  readonly addedBytes: number;
  readonly idleBytes: number;
  readonly peakBytes: number;
}

const [home, address, label] = [process.argv[2]!, process.argv[3]!, process.argv[4]!];
const app = await openKeenLarder({ home, addresses: [address], pollMs: 50, log: pino({ level: 'silent' }) });
const serial = 'BENCH-0001';
while (app.bench.list()[0]?.presence !== 'here') await new Promise((resolve) => setTimeout(resolve, 20));
const idleBytes = process.memoryUsage.rss();
let peakBytes = idleBytes;
const watch = setInterval(() => (peakBytes = Math.max(peakBytes, process.memoryUsage.rss())), 100);
const startedAt = performance.now();
const run = await startImaging(app, serial, { picked: ['userdata'], label, confirmed: [] });
const ended = await app.engine.ended(run.id);
const elapsedMs = performance.now() - startedAt;
clearInterval(watch);
const set = ended.setId ? app.larder.detail(ended.setId) : undefined;
const report: ImagingReport = {
  state: ended.state,
  outcome: ended.outcome,
  elapsedMs,
  bytes: set?.bytes,
  addedBytes: set?.addedBytes ?? 0,
  idleBytes,
  peakBytes,
};
process.stdout.write(`${JSON.stringify(report)}\n`);
await app.close();
process.exit(ended.state === 'done' ? 0 : 1);
