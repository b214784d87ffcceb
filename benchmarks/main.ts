/**
 * `npm run bench -- --mebibytes 1024 --rounds 3`: imaging beside `openssl dgst -sha256` and `zstd -3 -T1`
 * over the same bytes in the same run. The reference is timed before and after each of our runs, since a
 * machine's speed changes while one looks.
 */
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { closeSync, mkdirSync, mkdtempSync, openSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { statfs } from 'node:fs/promises';
import { totalmem, cpus, tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { createInterface } from 'node:readline';
import { Command } from 'commander';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { filler } from '@keen-larder/standin/firmware/filler.ts';
import { copySparse } from '@keen-larder/standin/flash/copy.ts';
import { Flash } from '@keen-larder/standin/flash/flash.ts';
import type { ImagingReport, Turn } from './larder-process.ts';

const values = new Command('npm run bench --')
  .description('Imaging beside openssl and zstd over the same bytes, and putting back beside reading.')
  .option('--mebibytes <n>', 'size of what is imaged', '1024')
  .option('--rounds <n>', 'turns of imaging', '3')
  .option(
    '--ext4-mebibytes <n>',
    'of a file system of which the blocks in use alone are read; 0 for none',
    '4096',
  )
  .option('--large-gibibytes <n>', 'of the image for memory; 0 for none', '16')
  .option('--folder <dir>', 'where it works', tmpdir())
  .parse()
  .opts<{
    mebibytes: string;
    rounds: string;
    ext4Mebibytes: string;
    largeGibibytes: string;
    folder: string;
  }>();
const mebibytes = Number(values.mebibytes);
const rounds = Number(values.rounds);
const bytes = mebibytes * 2 ** 20;
const folder = mkdtempSync(join(values.folder, 'keen-larder-bench-'));
const program = (name: string) => ['--import', 'tsx', join(import.meta.dirname, name)];
const flash = join(folder, 'phone.flash');
/** Where a phone that is written to lies: it has a disk of its own, on which the application's does not wait. */
const ownDisk = await memoryFolder(bytes);
const plain = ['system', 'userdata'].map((name) => join(folder, `${name}.img`));
let phone: ChildProcess | undefined;
let sink: ChildProcess | undefined;

try {
  print(
    `${cpus().length} × ${cpus()[0]?.model ?? 'processor unknown'}, ${sizeText(totalmem())}, Node ${process.version}`,
  );
  print(`${sizeText(bytes)}: a half does not compress, a quarter is text, a quarter is empty\n`);
  let adb = await startPhone(0);
  await copyPartitions();

  const phone = ['--pick', 'system', '--pick', 'userdata'];
  const own = [...phone, '--digested-before'];
  const full: ImagingReport[] = [];
  const digesting: number[] = [timed('openssl', ['dgst', '-sha256', ...plain])];
  for (let round = 0; round < rounds; round++) {
    full.push(await imaging(adb, `home-${round}`, 'first', ...own));
    digesting.push(timed('openssl', ['dgst', '-sha256', ...plain]));
    if (round < rounds - 1) rmSync(join(folder, `home-${round}`), { recursive: true });
  }
  const packing = timed('zstd', ['-3', '-T1', '-q', '-c', ...plain]);
  const last = `home-${rounds - 1}`;
  adb = await startPhone(0.01);
  const repeat = await imaging(adb, last, 'second', ...own);
  const userData = await imaging(adb, last, 'third', '--digested-before');
  const shared = await imaging(await startPhone(0), 'home-shared', 'shared', ...phone);
  const written = await startPhone(0, { path: join(ownDisk, 'phone.flash'), size: mebibytes });
  const port = String(await startSink());
  const beside = ['--restore-beside', port];
  const { restoring } = await imaging(written, 'home-restoring', 'restored', ...own, ...beside);
  const turns = restoring!.turns;
  const each = (of: (turn: Turn) => number) => turns.map(of);

  const openssl = median(digesting);
  const times = full.map(({ elapsedMs }) => elapsedMs);
  const first = median(times);
  const peak = Math.max(...full.map(({ peakBytes }) => peakBytes));
  row('openssl dgst -sha256', openssl, digesting);
  row('zstd -3 -T1', packing, [packing]);
  row('imaging with its proof', first, times);
  row('again, 1 % changed', repeat.elapsedMs);
  row('the half that changed alone', userData.elapsedMs * 2);
  row('the phone digesting here too', shared.elapsedMs);
  for (const [name, of] of [
    ['reading the set to nowhere', ({ readingMs }: Turn) => readingMs],
    ['through a bare socket, dropped', ({ sinkMs }: Turn) => sinkMs],
    ['putting it back: writing', ({ writingMs }: Turn) => writingMs],
  ] as const)
    row(name, median(each(of)), each(of));
  row('putting back, verified and proved', restoring!.wholeMs);
  print('');
  ratio('imaging : openssl, then zstd', (openssl + packing) / first, 1);
  ratio('again : imaging', first / repeat.elapsedMs, 1.5);
  ratio('the half that changed : imaging', first / userData.elapsedMs / 2, undefined);
  ratio('the phone here too : openssl, zstd', (openssl + packing) / shared.elapsedMs, undefined);
  for (const [name, wanted, of] of [
    ['writing back : reading the set', 0.8, (turn: Turn) => turn.readingMs / turn.writingMs],
    ['the bare socket : reading the set', undefined, (turn: Turn) => turn.readingMs / turn.sinkMs],
    ['writing back : the bare socket', undefined, (turn: Turn) => turn.sinkMs / turn.writingMs],
  ] as const) {
    ratio(name, median(each(of)), wanted);
    print(
      `  by turns ${each(of)
        .map((one) => one.toFixed(2))
        .join(' ')}`,
    );
  }
  ratio(
    'its own processor time in that',
    median(each(({ readingCpuMs, writingCpuMs }) => readingCpuMs / writingCpuMs)),
    undefined,
  );
  print(
    `planning to put back 60 partitions takes ${Math.round(restoring!.planningMs)} ms (wanted: under 100)`,
  );
  print(
    `stored ${sizeText(full[0]!.addedBytes)}; the second set added ${sizeText(repeat.addedBytes)} (${((repeat.addedBytes / bytes) * 100).toFixed(2)} %)`,
  );
  print(`peak resident ${sizeText(peak)} (wanted: under 400 MiB), idle ${sizeText(full[0]!.idleBytes)}`);
  for (const home of [last, 'home-shared', 'home-restoring']) rmSync(join(folder, home), { recursive: true });
  for (const kind of ['ext4', 'f2fs'] as const)
    if (Number(values.ext4Mebibytes) > 0) await usedBlocks(kind, Number(values.ext4Mebibytes));
  if (Number(values.largeGibibytes) > 0) await large(Number(values.largeGibibytes));
} finally {
  sink?.kill();
  await endPhone();
  for (const each of [folder, ownDisk]) rmSync(each, { recursive: true, force: true });
}

/** A folder in memory for so many bytes and a margin; one on the disk where there is no such room. */
async function memoryFolder(most: number): Promise<string> {
  const memory = '/dev/shm';
  const room = await statfs(memory).then(
    ({ bavail, bsize }) => bavail * bsize,
    () => 0,
  );
  return mkdtempSync(join(room > most * 2 ? memory : values.folder, 'keen-larder-bench-phone-'));
}

/** Imaging a file system that is a quarter full, all of it and only the blocks in use. */
async function usedBlocks(kind: 'ext4' | 'f2fs', size: number): Promise<void> {
  const files = join(folder, 'files');
  mkdirSync(files);
  for (let i = 0; i < size / 4 / 32; i++) {
    writeFileSync(join(files, `file-${i}`), filler(i % 4 === 3 ? 'records' : 'program', i + 1, 32 * 2 ** 20));
  }
  const image = join(folder, 'quarter.img');
  if (kind === 'ext4') timed('mke2fs', ['-q', '-F', '-t', 'ext4', '-m', '0', '-d', files, image, `${size}M`]);
  else {
    writeFileSync(image, '');
    truncateSync(image, size * 2 ** 20);
    timed('mkfs.f2fs', ['-q', '-f', image]);
    timed('sload.f2fs', ['-f', files, image]);
  }
  rmSync(files, { recursive: true });
  const adb = await startPhone(0, { path: join(folder, 'quarter.flash'), size, image });
  const whole = await imaging(adb, 'home-whole', 'whole');
  const used = await imaging(adb, 'home-used', 'used', '--used');
  print(`\n${sizeText(size * 2 ** 20)} of ${kind}, a quarter in use:`);
  print(
    `all of it ${durationText(whole.elapsedMs)}, only the blocks in use ${durationText(used.elapsedMs)}, with the proof`,
  );
  ratio('blocks in use : all of it', whole.elapsedMs / used.elapsedMs, 2.5);
  print(`its file tree on the shelf opens in ${Math.round(used.treeMs ?? 0)} ms (wanted: under 1000)`);
  for (const name of ['home-whole', 'home-used', 'quarter.flash', 'quarter.img']) {
    rmSync(join(folder, name), { recursive: true });
  }
}

/** Memory while a large image is taken, of which a quarter is not empty. */
async function large(gibibytes: number): Promise<void> {
  const adb = await startPhone(0, {
    path: join(folder, 'large.flash'),
    size: gibibytes * 1024,
    image: 'thin',
  });
  const { elapsedMs, peakBytes } = await imaging(adb, 'home-large', 'large');
  print(`\n${gibibytes} GiB, a quarter not empty, in ${durationText(elapsedMs)} with the proof:`);
  print(`peak resident ${sizeText(peakBytes)} (wanted: under 400 MiB)`);
}

/** The very bytes that are imaged, for the reference tools. */
async function copyPartitions(): Promise<void> {
  const opened = await Flash.open(flash);
  for (const path of plain) await copySparse(opened.partition(basename(path, '.img'))!, path);
  await opened.close();
}

function print(line: string): void {
  process.stdout.write(`${line}\n`);
}

function row(name: string, ms: number, all: readonly number[] = [ms]): void {
  const each = all.map((one) => (one / 1000).toFixed(2)).join(' ');
  print(
    `${name.padEnd(32)} ${`${(ms / 1000).toFixed(1)} s`.padStart(6)}  ${sizeText((bytes / ms) * 1000).padStart(9)}/s  (${each} s)`,
  );
}

function ratio(name: string, value: number, wanted: number | undefined): void {
  print(`${name.padEnd(34)} ${value.toFixed(2)}${wanted ? ` (wanted: at least ${wanted})` : ''}`);
}

function median(all: readonly number[]): number {
  const sorted = [...all].sort((a, b) => a - b);
  return sorted[Math.floor((sorted.length - 1) / 2)]!;
}

/** Milliseconds that a reference tool takes. */
function timed(command: string, args: readonly string[]): number {
  const nowhere = openSync('/dev/null', 'w');
  const startedAt = performance.now();
  const { status, error } = spawnSync(command, args, { stdio: ['ignore', nowhere, 'inherit'] });
  closeSync(nowhere);
  if (status !== 0) throw error ?? new Error(`${command} ended with ${status}`);
  return performance.now() - startedAt;
}

async function startPhone(
  changedShare: number,
  { path, size, image }: { path: string; size: number; image?: string } = { path: flash, size: mebibytes },
): Promise<string> {
  await endPhone();
  const child = spawn(
    process.execPath,
    [...program('phone.ts'), path, String(size), String(changedShare), ...(image ? [image] : [])],
    {
      stdio: ['ignore', 'pipe', 'inherit'],
    },
  );
  phone = child;
  const line = await firstLine(child);
  return (JSON.parse(line) as { adb: string }).adb;
}

/** What drops what is sent to its port. */
async function startSink(): Promise<number> {
  sink = spawn(process.execPath, program('sink.ts'), { stdio: ['ignore', 'pipe', 'inherit'] });
  return (JSON.parse(await firstLine(sink)) as { port: number }).port;
}

async function endPhone(): Promise<void> {
  if (!phone) return;
  const gone = new Promise((resolve) => phone!.once('exit', resolve));
  phone.kill();
  await gone;
  phone = undefined;
}

async function imaging(
  adb: string,
  home: string,
  label: string,
  ...options: string[]
): Promise<ImagingReport> {
  const args = [...program('larder-process.ts'), join(folder, home), adb, label, ...options];
  const child = spawn(process.execPath, args, {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const report = JSON.parse(await firstLine(child)) as ImagingReport;
  if (report.state !== 'done') throw new Error(report.outcome);
  return report;
}

function firstLine(child: ChildProcess): Promise<string> {
  return new Promise((resolve, reject) => {
    child.once('exit', (code) => reject(new Error(`a program ended with ${code}`)));
    createInterface({ input: child.stdout! }).once('line', resolve);
  });
}
