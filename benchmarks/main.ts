/**
 * `npm run bench -- --mebibytes 1024 --rounds 3`: imaging beside `openssl dgst -sha256` and `zstd -3 -T1`
 * over the same bytes in the same run. The reference is timed before and after each of our runs, since a
 * machine's speed changes while one looks.
 */
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { closeSync, mkdtempSync, openSync, rmSync } from 'node:fs';
import { totalmem, cpus, tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { parseArgs } from 'node:util';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { copySparse } from '@keen-larder/standin/flash/copy.ts';
import { Flash } from '@keen-larder/standin/flash/flash.ts';
import type { ImagingReport } from './larder-process.ts';

const { values } = parseArgs({
  options: {
    mebibytes: { type: 'string', default: '1024' },
    rounds: { type: 'string', default: '3' },
    folder: { type: 'string', default: tmpdir() },
  },
});
const mebibytes = Number(values.mebibytes);
const rounds = Number(values.rounds);
const bytes = mebibytes * 2 ** 20;
const folder = mkdtempSync(join(values.folder, 'keen-larder-bench-'));
const program = (name: string) => ['--import', 'tsx', join(import.meta.dirname, name)];
const flash = join(folder, 'phone.flash');
const plain = join(folder, 'userdata.img');
let phone: ChildProcess | undefined;

try {
  print(
    `${cpus().length} × ${cpus()[0]?.model ?? 'processor unknown'}, ${sizeText(totalmem())}, Node ${process.version}`,
  );
  print(`${sizeText(bytes)}: a half does not compress, a quarter is text, a quarter is empty\n`);
  let adb = await startPhone(0);
  await copyUserData();

  const full: ImagingReport[] = [];
  const digesting: number[] = [timed('openssl', ['dgst', '-sha256', plain])];
  for (let round = 0; round < rounds; round++) {
    full.push(await imaging(adb, `home-${round}`, 'first'));
    digesting.push(timed('openssl', ['dgst', '-sha256', plain]));
    if (round < rounds - 1) rmSync(join(folder, `home-${round}`), { recursive: true });
  }
  const packing = timed('zstd', ['-3', '-T1', '-q', '-c', plain]);
  adb = await startPhone(0.01);
  const repeat = await imaging(adb, `home-${rounds - 1}`, 'second');

  const openssl = median(digesting);
  const best = median(full.map(({ elapsedMs }) => elapsedMs));
  const peak = Math.max(...full.map(({ peakBytes }) => peakBytes));
  row('openssl dgst -sha256', openssl, digesting);
  row('zstd -3 -T1', packing, [packing]);
  row(
    'imaging',
    best,
    full.map(({ elapsedMs }) => elapsedMs),
  );
  row('imaging again, 1 % changed', repeat.elapsedMs, [repeat.elapsedMs]);
  print('');
  ratio('imaging : openssl dgst -sha256', openssl / best, 0.5);
  ratio('imaging : openssl, then zstd', (openssl + packing) / best, undefined);
  ratio('imaging again : imaging', best / repeat.elapsedMs, undefined);
  print(
    `stored ${sizeText(full[0]!.addedBytes)}; the second set added ${sizeText(repeat.addedBytes)} (${((repeat.addedBytes / bytes) * 100).toFixed(2)} %)`,
  );
  print(`peak resident ${sizeText(peak)} (wanted: under 350 MiB), idle ${sizeText(full[0]!.idleBytes)}`);
} finally {
  await endPhone();
  rmSync(folder, { recursive: true, force: true });
}

/** The very bytes that are imaged, for the reference tools. */
async function copyUserData(): Promise<void> {
  const opened = await Flash.open(flash);
  await copySparse(opened.partition('userdata')!, plain);
  await opened.close();
}

function print(line: string): void {
  process.stdout.write(`${line}\n`);
}

function row(name: string, ms: number, all: readonly number[]): void {
  const each = all.map((one) => (one / 1000).toFixed(2)).join(' ');
  print(
    `${name.padEnd(30)} ${durationText(ms).padStart(6)}  ${sizeText((bytes / ms) * 1000).padStart(9)}/s  (${each} s)`,
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

async function startPhone(changedShare: number): Promise<string> {
  await endPhone();
  const child = spawn(
    process.execPath,
    [...program('phone.ts'), flash, String(mebibytes), String(changedShare)],
    {
      stdio: ['ignore', 'pipe', 'inherit'],
    },
  );
  phone = child;
  const line = await firstLine(child);
  return (JSON.parse(line) as { adb: string }).adb;
}

async function endPhone(): Promise<void> {
  if (!phone) return;
  const gone = new Promise((resolve) => phone!.once('exit', resolve));
  phone.kill();
  await gone;
  phone = undefined;
}

async function imaging(adb: string, home: string, label: string): Promise<ImagingReport> {
  const child = spawn(process.execPath, [...program('larder-process.ts'), join(folder, home), adb, label], {
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
