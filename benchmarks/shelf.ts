/**
 * `npm run bench:shelf -- --mebibytes 4096`: what it takes to compare two kept images of an ext4 in use file by file, and how much of a
 * processor reading the shelf again takes. Needs root, e2fsprogs and loop devices. Nothing else may run meanwhile.
 */
import { execFileSync, spawnSync } from 'node:child_process';
import { createCipheriv } from 'node:crypto';
import {
  closeSync,
  createReadStream,
  mkdirSync,
  openSync,
  rmSync,
  statSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { Command } from 'commander';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { chunkStatements } from '@keen-larder/server/database/chunks.ts';
import { copyStatements } from '@keen-larder/server/database/copies.ts';
import { setStatements } from '@keen-larder/server/database/sets.ts';
import { scrubFindingStatements } from '@keen-larder/server/database/upkeep/scrub-findings.ts';
import { Comparing } from '@keen-larder/server/larder/comparing/comparing.ts';
import { Inside } from '@keen-larder/server/larder/inside/inside.ts';
import { Scrubber } from '@keen-larder/server/larder/upkeep/scrubber.ts';
import { ShelfWorkers } from '@keen-larder/server/shelf/threads/workers.ts';
import { testFolder } from '../testing/folder.ts';
import { LarderBench, type OpenLarder } from '../testing/larder.ts';
import { numbersOf } from '../testing/numbers.ts';

const { mebibytes, files, seconds } = new Command('npm run bench:shelf --')
  .option('--mebibytes <n>', 'size of the file system', '4096')
  .option('--files <n>', 'files in it; they fill three quarters of it', '20000')
  .option('--seconds <n>', 'how long the shelf is read again', '120')
  .parse()
  .opts<{ mebibytes: string; files: string; seconds: string }>();

const say = (what: string, value: string) => void process.stdout.write(`${what.padEnd(52)} ${value}\n`);
const number = numbersOf(20_261_130);
const noise = createCipheriv('aes-128-ctr', Buffer.alloc(16, 7), Buffer.alloc(16));
const count = Number(files);
const folder = testFolder();
const image = join(folder.path, 'userdata.img');
const mountPoint = join(folder.path, 'mounted');

/** Mounts the image, works in it, and unmounts it: the kernel's own ext4. */
function mounted(work: () => void): void {
  execFileSync('mount', ['-o', 'loop', image, mountPoint]);
  try {
    work();
  } finally {
    execFileSync('umount', [mountPoint]);
  }
}

const pathOf = (i: number) => join(mountPoint, `data/app-${i % 200}/files/${Math.floor(i / 200)}.db`);

/** Of very different sizes, half of each packs well. */
function fill(): void {
  const usable = Number(mebibytes) * 0.75 * (1 << 20);
  for (let i = 0; i < 200; i++) mkdirSync(join(mountPoint, `data/app-${i}/files`), { recursive: true });
  for (let i = 0; i < count; i++) {
    const bytes = Math.max(1, Math.round((usable / count) * 2 * (number(1000) / 1000) ** 2 * 1.5));
    const half = noise.update(Buffer.alloc(Math.ceil(bytes / 2)));
    writeFileSync(pathOf(i), Buffer.concat([half, Buffer.alloc(bytes - half.length, 'a line of a log\n')]));
  }
}

/** A day of use: some files change, some come, some go. */
function use(): void {
  for (let i = 0; i < count; i += 50) {
    const file = openSync(pathOf(i), 'r+');
    writeSync(file, noise.update(Buffer.alloc(4096)), 0, 4096, 0);
    closeSync(file);
  }
  for (let i = 7; i < count; i += 400) rmSync(pathOf(i));
  for (let i = 0; i < count / 200; i++)
    writeFileSync(join(mountPoint, `data/app-${i % 200}/files/new-${i}`), noise.update(Buffer.alloc(30_000)));
}

const { stdout } = spawnSync('openssl', ['speed', '-seconds', '1', '-bytes', '65536', 'sha256']);
say(
  'SHA-256 by openssl',
  `${Math.round(Number(/sha256\s+([\d.]+)k/.exec(stdout.toString())?.[1]) / 1000)} MB/s`,
);
const workers = new ShelfWorkers();
const bench = new LarderBench(testFolder(), workers);
try {
  mkdirSync(mountPoint);
  execFileSync('mke2fs', ['-q', '-t', 'ext4', '-b', '4096', image, `${mebibytes}M`]);
  mounted(fill);
  const open = await bench.open();
  const { size } = statSync(image);
  const keep = (label: string) =>
    bench.keepAll(open, label, [
      { partition: 'userdata', bytes: size, content: createReadStream(image, { highWaterMark: 1 << 20 }) },
    ]);
  const before = await keep('before');
  mounted(use);
  const after = await keep('after');
  const sides = { before, after };

  for (const turn of ['first', 'again']) {
    const comparing = new Comparing(open.larder, new Inside(open.larder));
    const since = performance.now();
    const { counts } = await comparing.files(sides, 'userdata', '');
    const told = `${counts.changed} changed, ${counts.added} came, ${counts.gone} went`;
    say(
      `compared by file, ${turn}`,
      `${((performance.now() - since) / 1000).toFixed(2)} s (wanted: under 3 s; ${told})`,
    );
  }
  await scrubbing(open);
} finally {
  await bench.close();
  await workers.close();
  folder.remove();
}

async function scrubbing({ database, shelf }: OpenLarder): Promise<void> {
  bench.pass(60 * 86_400_000);
  const scrubber = new Scrubber({
    ...{ shelf, now: () => bench.clock.wall, isBusy: () => false, onDamage: () => undefined },
    chunks: chunkStatements(database),
    sets: setStatements(database),
    copies: copyStatements(database),
    findings: scrubFindingStatements(database),
  });
  const due = scrubber.view().dueBytes;
  const [used, since] = [process.cpuUsage(), performance.now()];
  scrubber.start();
  await pause(Number(seconds) * 1000);
  const { user, system } = process.cpuUsage(used);
  const share = (user + system) / 1000 / (performance.now() - since);
  const read = due - scrubber.view().dueBytes;
  await scrubber.stop();
  say(
    'reading again, of one processor',
    `${(share * 100).toFixed(1)} % (wanted: under 5 %), ${sizeText(read)} in ${seconds} s`,
  );
}
