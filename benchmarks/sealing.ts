/**
 * `npm run bench:sealing -- --mebibytes 512`: what the seal costs when images are stored, when a shelf is sealed later, and what the copy
 * off-site takes beside `cp` of the packs. Nothing else may run meanwhile.
 */
import { execFileSync, fork, spawnSync } from 'node:child_process';
import { createCipheriv } from 'node:crypto';
import { once } from 'node:events';
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { Command } from 'commander';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { FolderBucket } from '@keen-larder/server/offsite/folder-bucket.ts';
import { S3Bucket } from '@keen-larder/server/offsite/s3-bucket.ts';
import { SetWriter } from '@keen-larder/server/shelf/set-writer.ts';
import type { Shelf } from '@keen-larder/server/shelf/shelf.ts';
import { ShelfWorkers } from '@keen-larder/server/shelf/threads/workers.ts';
import { startBucket } from '@keen-larder/standin/bucket.ts';
import { testFolder } from '../testing/folder.ts';
import { LarderBench } from '../testing/larder.ts';
import { OffsiteBench } from '../testing/offsite/offsite-bench.ts';

const bucketFolder = process.env['KEEN_LARDER_BENCH_BUCKET'];
/** The service is a program of its own. */
if (bucketFolder) {
  const { place } = await startBucket(bucketFolder);
  process.send!(place);
} else await measure();

async function measure(): Promise<void> {
  const { mebibytes, turns } = new Command('npm run bench:sealing --')
    .option('--mebibytes <n>', 'size of an image', '512')
    .option('--turns <n>', 'how often', '5')
    .parse()
    .opts<{ mebibytes: string; turns: string }>();
  const say = (what: string, value: string) => void process.stdout.write(`${what.padEnd(52)} ${value}\n`);
  const bytes = Number(mebibytes) << 20;
  const image = contentOf(bytes);
  const { stdout } = spawnSync('openssl', ['speed', '-seconds', '1', '-bytes', '65536', 'sha256']);
  say(
    'SHA-256 by openssl',
    `${Math.round(Number(/sha256\s+([\d.]+)k/.exec(stdout.toString())?.[1]) / 1000)} MB/s`,
  );
  const workers = new ShelfWorkers();
  await workers.warmUp();

  const plain: number[] = [];
  const ratios: number[] = [];
  for (let turn = 0; turn <= Number(turns); turn++) {
    const ms: number[] = [];
    for (const isSealed of [false, true]) {
      const bench = new LarderBench(testFolder(), workers);
      const { shelf } = await bench.open();
      if (isSealed) await shelf.seal.make('medlars in the cold cellar', { N: 1024, r: 8, p: 1 });
      ms.push(await timed(() => store(shelf, image)));
      await bench.close();
    }
    // The first turn warms up.
    if (turn === 0) continue;
    plain.push(ms[0]!);
    ratios.push(ms[1]! / ms[0]!);
  }
  say('storing an image, packed, named, digested, read back', `${rate(bytes, middle(plain))}`);
  const all = ratios.map((each) => each.toFixed(2)).join(', ');
  say('the same sealed : not sealed', `${middle(ratios).toFixed(2)} × (wanted: at most 1.15; ${all})`);

  const bench = await new OffsiteBench(undefined as never, 'Bench', workers).begin();
  await bench.bench.keep(bench.open, 'one', { system: image });
  const { shelf } = bench.open;
  await shelf.seal.make('medlars in the cold cellar', { N: 1024, r: 8, p: 1 });
  const sealing = await timed(async () => {
    while ((await shelf.resealNext()) !== undefined);
  });
  say('sealing what is stored', rate(bytes, sealing));
  await bench.close();

  await offsite(image, workers, say);
  await workers.close();
}

async function offsite(
  image: Buffer,
  workers: ShelfWorkers,
  say: (what: string, value: string) => void,
): Promise<void> {
  const folder = testFolder();
  const service = fork(new URL(import.meta.url).pathname, {
    env: { ...process.env, KEEN_LARDER_BENCH_BUCKET: join(folder.path, 'bucket') },
    execArgv: process.execArgv,
  });
  try {
    const [place] = (await once(service, 'message')) as [ConstructorParameters<typeof S3Bucket>[0]];
    const bench = await new OffsiteBench(new S3Bucket(place), 'Bench', workers).begin();
    await bench.bench.keep(bench.open, 'one', { system: image });
    await bench.setUp();
    const { packFolder } = bench.open.shelf;
    const copying = await timed(() => {
      execFileSync('cp', ['-r', packFolder, join(folder.path, 'copy')]);
      execFileSync('sync', ['-f', folder.path]);
      return Promise.resolve();
    });
    const sending = await timed(() => bench.sync());
    say('`cp` of the packs, synced', `${(copying / 1000).toFixed(1)} s`);
    say('sent to a stand-in bucket, sealed', `${(sending / 1000).toFixed(1)} s`);
    say('`cp` : sent', `${(copying / sending).toFixed(2)} × (wanted: at least 0.7)`);
    await bench.close();
    const disk = new OffsiteBench(new FolderBucket(join(folder.path, 'disk'), false), 'Bench', workers);
    await disk.begin();
    await disk.bench.keep(disk.open, 'one', { system: image });
    await disk.setUp();
    const onDisk = await timed(() => disk.sync());
    say('sent to a second disk, sealed, synced', `${(onDisk / 1000).toFixed(1)} s`);
    say('`cp` : sent to a second disk', `${(copying / onDisk).toFixed(2)} ×`);
    await disk.close();
  } finally {
    service.kill();
    rmSync(folder.path, { recursive: true, force: true });
  }
}

async function store(shelf: Shelf, image: Buffer): Promise<void> {
  const writer = new SetWriter(shelf);
  const images = writer.image(image.length, [{ offset: 0, bytes: image.length }]);
  await images.take(parts(image));
  await images.finish();
  await writer.seal();
}

async function* parts(image: Buffer): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < image.length; at += 1 << 20)
    yield await Promise.resolve(image.subarray(at, at + (1 << 20)));
}

/** Half of it packs well, as file systems do; a tenth is zeros. */
function contentOf(bytes: number): Buffer {
  const noise = createCipheriv('aes-128-ctr', Buffer.alloc(16, 7), Buffer.alloc(16));
  const image = noise.update(Buffer.alloc(bytes));
  for (let at = 0; at < bytes; at += 1 << 20) {
    const stretch = (at >> 20) % 10;
    if (stretch === 0) image.fill(0, at, at + (1 << 20));
    else if (stretch < 6)
      for (let word = at; word < at + (1 << 20); word += 16) image.write('ro.build.id=', word, 'latin1');
  }
  return image;
}

async function timed(work: () => Promise<unknown>): Promise<number> {
  const since = performance.now();
  await work();
  return performance.now() - since;
}

function middle(values: readonly number[]): number {
  return [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)]!;
}

function rate(bytes: number, ms: number): string {
  return `${sizeText(Math.round((bytes / ms) * 1000))}/s`;
}
