/** The application in a process of its own, so that its memory is its own: images one partition, reports. */
import { isFileSystem } from '@keen-larder/core/formats/file-system/names.ts';
import { connect, type Socket } from 'node:net';
import { finished } from 'node:stream/promises';
import { parseArgs } from 'node:util';
import pino from 'pino';
import { openKeenLarder } from '@keen-larder/server/keen-larder.ts';
import { armingText } from '@keen-larder/core/runsheet/arming.ts';
import { startImaging } from '@keen-larder/server/runs/imaging/imaging.ts';
import { startRestoring } from '@keen-larder/server/runs/restoring/restoring.ts';
import { readInPlace } from '@keen-larder/server/shelf/image-reader.ts';

/** One line of JSON on standard output. */
export interface ImagingReport {
  readonly state: string;
  readonly outcome: string | undefined;
  readonly elapsedMs: number;
  /** Listing the root of the file tree on the shelf, where there is one. */
  readonly treeMs: number | undefined;
  readonly bytes: number | undefined;
  readonly addedBytes: number;
  readonly idleBytes: number;
  readonly peakBytes: number;
  readonly restoring: RestoringReport | undefined;
}

/** Reading a set from the shelf to nowhere, and writing it to the phone, in milliseconds. */
export interface Turn {
  readonly readingMs: number;
  /** Through a bare socket to a program that drops it; zeros are left out, as they are with a phone. */
  readonly sinkMs: number;
  /** Through the link, without verifying before and proving after. */
  readonly writingMs: number;
  /** Processor time of the application. */
  readonly readingCpuMs: number;
  readonly writingCpuMs: number;
}

/** Putting the set back, beside reading it from the shelf to nowhere. */
export interface RestoringReport {
  /** One after the other, in turns: a machine's speed changes while one looks. */
  readonly turns: readonly Turn[];
  readonly wholeMs: number;
  /** Computing the run sheet of sixty partitions, once digests and forecast are known. */
  readonly planningMs: number;
}

const { positionals, values } = parseArgs({
  allowPositionals: true,
  options: {
    pick: { type: 'string', multiple: true, default: ['userdata'] },
    /** Only the blocks in use. */
    used: { type: 'boolean', default: false },
    /** Puts the set back afterwards, and sends it to a program on this port, which drops it. */
    'restore-beside': { type: 'string' },
    /** The phone has digested itself before the clock starts: it has processors of its own, which are not to be timed. */
    'digested-before': { type: 'boolean', default: false },
  },
});
const [home, address, label] = positionals as [string, string, string];
const app = await openKeenLarder({ home, addresses: [address], pollMs: 50, log: pino({ level: 'silent' }) });
const serial = 'BENCH-0001';
const turnsTaken = 7;
const zeros = Buffer.alloc(2 << 20);
while (app.bench.list()[0]?.presence !== 'here') await new Promise((resolve) => setTimeout(resolve, 20));
if (values['digested-before']) {
  for (const { name, bytes } of await app.bench.partitions(serial)) {
    if (values.pick.includes(name)) await app.bench.access(serial).digest(name, [{ offset: 0, bytes }]);
  }
}
const idleBytes = process.memoryUsage.rss();
let peakBytes = idleBytes;
const watch = setInterval(() => (peakBytes = Math.max(peakBytes, process.memoryUsage.rss())), 100);
const startedAt = performance.now();
const run = await startImaging(app, serial, {
  picked: values.pick,
  label,
  confirmed: [],
  ...(values.used && { usedOnly: ['userdata'] }),
});
const ended = await app.engine.ended(run.id);
const elapsedMs = performance.now() - startedAt;
clearInterval(watch);
const set = ended.setId ? app.larder.detail(ended.setId) : undefined;
const treeAt = performance.now();
const tree = set?.images.some(({ fileSystem }) => isFileSystem(fileSystem))
  ? await (await app.inside.tree(set.id, 'userdata', '')).list('/')
  : undefined;
const treeMs = tree && performance.now() - treeAt;
const sinkPort = values['restore-beside'];
const restoring = sinkPort && set ? await putBack(set.id, Number(sinkPort)) : undefined;
const report: ImagingReport = {
  state: ended.state,
  outcome: ended.outcome,
  elapsedMs,
  treeMs,
  bytes: set?.bytes,
  addedBytes: set?.addedBytes ?? 0,
  idleBytes,
  peakBytes,
  restoring,
};
process.stdout.write(`${JSON.stringify(report)}\n`);
await app.close();
process.exit(ended.state === 'done' ? 0 : 1);

async function putBack(setId: string, sinkPort: number): Promise<RestoringReport> {
  const puts = values.pick.map((partition) => ({ setId, partition }));
  const images = () =>
    puts.map(
      ({ partition }) =>
        [partition, readInPlace(app.larder.shelf, app.larder.image(setId, partition))] as const,
    );
  const sink = connect(sinkPort, '127.0.0.1').setNoDelay(true);
  const turns: Turn[] = [];
  // The first turn warms both ends up and does not count: a phone's daemon is compiled.
  for (let i = 0; i <= turnsTaken; i++) {
    const read = stopwatch();
    for (const [, parts] of images()) for await (const part of parts) void part;
    const reading = read();
    const drop = stopwatch();
    for (const [, parts] of images()) for await (const part of parts) await sendBare(sink, part);
    const dropping = drop();
    // Writing by itself: a run verifies before and proves after, on the same processors.
    const write = stopwatch();
    for (const [partition, parts] of images()) await app.bench.access(serial).write(partition, parts);
    const writing = write();
    if (i === 0) continue;
    turns.push({
      readingMs: reading.ms,
      readingCpuMs: reading.cpuMs,
      sinkMs: dropping.ms,
      writingMs: writing.ms,
      writingCpuMs: writing.cpuMs,
    });
  }
  sink.end();
  await finished(sink);
  const wholeAt = performance.now();
  const { id } = await startRestoring(app, serial, {
    puts,
    restartAfter: false,
    confirmed: ['will-wipe', 'boot-forecast', 'battery', 'version-crossing', 'older-system-newer-data'],
    armedWith: armingText(serial),
  });
  const run = await app.engine.ended(id);
  if (run.state !== 'done') throw new Error(run.outcome);
  const wholeMs = performance.now() - wholeAt;
  // Sixty images, as many as a phone of today has partitions.
  const names = (await app.bench.partitions(serial))
    .map(({ name }) => name)
    .filter((name) => /^part\d/.test(name));
  const many = await startImaging(app, serial, { picked: names, label: 'sixty', confirmed: [] });
  const sixty = (await app.engine.ended(many.id)).setId!;
  const plan = { puts: names.map((partition) => ({ setId: sixty, partition })), restartAfter: false };
  await app.restoringSheets.restoring(serial, plan);
  const planAt = performance.now();
  await app.restoringSheets.restoring(serial, plan);
  const planningMs = performance.now() - planAt;
  return { turns, wholeMs, planningMs };
}

async function sendBare(socket: Socket, part: Buffer): Promise<void> {
  if (part.compare(zeros, 0, part.length) === 0) return;
  await new Promise<void>((resolve, reject) =>
    socket.write(part, (error) => (error ? reject(error) : resolve())),
  );
}

/** Tells the time since, and the processor time that this process took. */
function stopwatch(): () => { readonly ms: number; readonly cpuMs: number } {
  const [at, before] = [performance.now(), process.cpuUsage()];
  return () => {
    const { user, system } = process.cpuUsage(before);
    return { ms: performance.now() - at, cpuMs: (user + system) / 1000 };
  };
}
