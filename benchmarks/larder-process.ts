/** The application in a process of its own, so that its memory is its own: images one partition, reports. */
import pino from 'pino';
import { openKeenLarder } from '@keen-larder/server/keen-larder.ts';
import { startImaging } from '@keen-larder/server/runs/imaging.ts';

/** One line of JSON on standard output. */
export interface ImagingReport {
  readonly state: string;
  readonly outcome: string | undefined;
  readonly elapsedMs: number;
  /** Of that, what the phone's own digest took. */
  readonly provingMs: number;
  /** Listing the root of the file tree on the shelf, where there is one. */
  readonly treeMs: number | undefined;
  readonly bytes: number | undefined;
  readonly addedBytes: number;
  readonly idleBytes: number;
  readonly peakBytes: number;
}

const [home, address, label, used] = process.argv.slice(2) as [string, string, string, string?];
const app = await openKeenLarder({ home, addresses: [address], pollMs: 50, log: pino({ level: 'silent' }) });
const serial = 'BENCH-0001';
while (app.bench.list()[0]?.presence !== 'here') await new Promise((resolve) => setTimeout(resolve, 20));
const idleBytes = process.memoryUsage.rss();
let peakBytes = idleBytes;
const watch = setInterval(() => (peakBytes = Math.max(peakBytes, process.memoryUsage.rss())), 100);
const startedAt = performance.now();
const run = await startImaging(app, serial, {
  picked: ['userdata'],
  label,
  confirmed: [],
  ...(used && { usedOnly: ['userdata'] }),
});
// All bytes have passed: what follows is the phone's own digest.
let readAt: number | undefined;
const reading = setInterval(() => {
  const { doneBytes, bytes } = app.engine.view(run.id);
  if (bytes > 0 && doneBytes >= bytes) readAt ??= performance.now();
}, 10);
const ended = await app.engine.ended(run.id);
const elapsedMs = performance.now() - startedAt;
clearInterval(reading);
const provingMs = readAt === undefined ? 0 : performance.now() - readAt;
clearInterval(watch);
const set = ended.setId ? app.larder.detail(ended.setId) : undefined;
const treeAt = performance.now();
const tree = set?.images.some(({ fileSystem }) => fileSystem === 'ext4')
  ? await (await app.inside.tree(set.id, 'userdata', '')).list('/')
  : undefined;
const treeMs = tree && performance.now() - treeAt;
const report: ImagingReport = {
  state: ended.state,
  outcome: ended.outcome,
  elapsedMs,
  provingMs,
  treeMs,
  bytes: set?.bytes,
  addedBytes: set?.addedBytes ?? 0,
  idleBytes,
  peakBytes,
};
process.stdout.write(`${JSON.stringify(report)}\n`);
await app.close();
process.exit(ended.state === 'done' ? 0 : 1);
