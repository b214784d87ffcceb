/**
 * `npm run bench:cable -- --mebibytes 4096 --rates 38,350`: what crosses simulated cables and how long it takes, beside the platform
 * client's own pipeline over the same cable. Root is needed, since user data is made by mounting it.
 */
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { cpus, tmpdir, totalmem } from 'node:os';
import { join } from 'node:path';
import { Command } from 'commander';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import type { Carried, LarderOrder } from './cable-larder.ts';
import type { PhoneOrder } from './cable-phone.ts';
import { Told } from './orders.ts';
import { makeExt4, makeF2fs, makePrograms, useExt4, useF2fs } from './used-file-systems.ts';

const values = new Command('npm run bench:cable --')
  .description(
    'Imaging and putting back over simulated cables, beside the platform client over the same cables.',
  )
  .option('--mebibytes <n>', 'size of user data', '4096')
  .option('--rates <list>', 'what the cables carry, in MB/s', '38,350')
  .option('--only <list>', 'ext4, f2fs, programs, four', 'ext4,f2fs,programs,four')
  .option('--log', 'prints what each run said, and when')
  .option('--folder <dir>', 'where it works', tmpdir())
  .parse()
  .opts<{ mebibytes: string; rates: string; only: string; folder: string; log?: boolean }>();

const mebibytes = Number(values.mebibytes);
const only = values.only.split(',');
const folder = mkdtempSync(join(values.folder, 'keen-larder-cable-'));
const adbPort = '5997';
const imagingShare = 0.05;
const puttingShare = 0.02;
const at = (name: string) => join(folder, name);
const print = (line: string) => process.stdout.write(`${line}\n`);

/** A phone, the application beside it, and what crosses between them. */
class Pair {
  private constructor(
    readonly phone: Told<PhoneOrder>,
    readonly larder: Told<LarderOrder>,
    readonly adb: string,
  ) {}

  /** @param packer what the phone packs with. By gzip it does so before: it has processors of its own */
  static async start(
    name: string,
    image: string,
    megabytes: number,
    packer?: 'gzip' | 'zstd',
  ): Promise<Pair> {
    const phone = new Told<PhoneOrder>('cable-phone.ts', [
      'BENCH-0001',
      at(`${name}.flash`),
      image,
      String(megabytes * 1e6),
      ...(packer ? [packer] : []),
    ]);
    const { adb } = await phone.answer<{ adb: string }>();
    const larder = new Told<LarderOrder>('cable-larder.mjs', [at(`${name}.home`), adb]);
    await larder.answer();
    return new Pair(phone, larder, adb);
  }

  /** Has it done, and prints what it took. */
  async timed(what: string, order: LarderOrder): Promise<Carried> {
    const before = await this.carried();
    const cpu = [this.larder, this.phone].map((each) => each.cpuSeconds);
    const done = await this.larder.tell<Carried>(order);
    const took = [this.larder, this.phone].map((each, i) => (each.cpuSeconds - cpu[i]!).toFixed(1));
    row(what, done.ms, (await this.carried()) - before, done.peakBytes);
    print(`    processors: the application ${took[0]} s, the simulated phone ${took[1]} s`);
    return done;
  }

  /** The platform client's own pipeline. @returns ms */
  async client(what: string, script: string): Promise<number> {
    const adb = ['-P', adbPort];
    execFileSync('adb', [...adb, 'connect', this.adb], { stdio: 'ignore' });
    const before = await this.carried();
    const since = performance.now();
    const { status, stderr } = spawnSync('bash', [
      '-c',
      script.replaceAll('ADB', `adb -P ${adbPort} -s ${this.adb}`),
    ]);
    const ms = performance.now() - since;
    if (status !== 0) throw new Error(`the platform client ended with ${status}: ${stderr.toString()}`);
    row(what, ms, (await this.carried()) - before);
    execFileSync('adb', [...adb, 'disconnect', this.adb], { stdio: 'ignore' });
    return ms;
  }

  /** Between two visits of a phone the larder does what it left. */
  async rest(): Promise<void> {
    await this.larder.tell({ do: 'rest' });
  }

  async become(image: string): Promise<void> {
    const { changed } = await this.phone.tell<{ changed: number }>({ do: 'become', image });
    print(`  (${sizeText(changed)} changed on the phone)`);
  }

  async end(): Promise<void> {
    await this.larder.end();
    await this.phone.end();
  }

  private async carried(): Promise<number> {
    return (await this.phone.tell<{ bytes: number }>({ do: 'carried' })).bytes;
  }
}

function row(what: string, ms: number, bytes: number, peakBytes?: number): void {
  const peak = peakBytes ? `  peak ${sizeText(peakBytes)}` : '';
  print(
    `  ${what.padEnd(46)} ${`${(ms / 1000).toFixed(1)} s`.padStart(8)}  ${sizeText(bytes).padStart(9)} carried${peak}`,
  );
}

const ratio = (what: string, value: number, wanted?: number) =>
  print(
    `  ${what.padEnd(46)} ${`${value.toFixed(2)} ×`.padStart(8)}${wanted ? `  (wanted: at least ${wanted})` : ''}`,
  );

const said = (log: readonly string[]) =>
  log
    .filter((line) => values.log || /crossed the cable|are as in|were as kept/.test(line))
    .forEach((line) => print(`    ${line}`));

const node = '/dev/block/by-name/userdata';
const read = `ADB exec-out "dd if=${node} bs=1048576 2>/dev/null" | tee >(openssl dgst -sha256 > ${at('digest')}) | zstd -q -3 -T1 -f -o ${at('client.zst')}`;
const write = `zstd -q -dc ${at('client.zst')} | ADB exec-in "dd of=${node} bs=1048576 2>/dev/null"`;

try {
  print(
    `${cpus().length} × ${cpus()[0]?.model ?? 'processor unknown'}, ${sizeText(totalmem())}, Node ${process.version}`,
  );
  print(`SHA-256 by openssl: ${opensslSpeed()}`);
  if (only.includes('ext4')) {
    makeExt4(at('ext4'), mebibytes);
    useExt4(at('ext4'), at('ext4-used'), imagingShare);
    useExt4(at('ext4-used'), at('ext4-later'), puttingShare);
  }
  if (only.includes('f2fs')) {
    makeF2fs(at('f2fs'), mebibytes, folder);
    useF2fs(at('f2fs'), at('f2fs-used'), imagingShare, folder);
  }
  if (only.includes('programs'))
    makePrograms(at('programs'), mebibytes / 4, ['/usr/lib', '/usr/share', '/usr/bin']);
  for (const rate of values.rates.split(',').map(Number)) {
    if (only.includes('ext4')) await bothWays(rate);
    if (only.includes('f2fs')) await again(rate, 'f2fs', 'f2fs-used');
    if (only.includes('programs')) await packing(rate);
  }
  if (only.includes('four')) await four();
} finally {
  spawnSync('adb', ['-P', adbPort, 'kill-server'], { stdio: 'ignore' });
  rmSync(folder, { recursive: true, force: true });
}

/** Imaging, again, and putting back; the platform client beside each. */
async function bothWays(rate: number): Promise<void> {
  print(`\n${rate} MB/s, ${mebibytes} MiB of ext4 in use:`);
  const pair = await Pair.start('ext4', at('ext4'), rate);
  try {
    const clientRead = await pair.client('platform client: exec-out, digest, zstd', read);
    const first = await pair.timed('first imaging', { do: 'keep', label: 'first' });
    said(first.log);
    await pair.rest();
    await pair.become(at('ext4-used'));
    const second = await pair.timed('imaging again', { do: 'keep', label: 'second' });
    said(second.log);
    await pair.become(at('ext4-later'));
    const some = await pair.timed('putting back what differs', { do: 'put back', setId: second.setId });
    said(some.log);
    await pair.become(at('ext4-later'));
    const all = await pair.timed('putting back all of it', {
      do: 'put back',
      setId: second.setId,
      all: true,
    });
    said(all.log);
    const clientWrite = await pair.client('platform client: zstd -dc, exec-in', write);
    ratio('first imaging : platform client', clientRead / first.ms);
    ratio('imaging again : first imaging', first.ms / second.ms, rate < 100 ? 4 : 1);
    ratio('putting back what differs : all of it', all.ms / some.ms, rate < 100 ? 6 : 1);
    ratio('putting back all of it : platform client', clientWrite / all.ms);
  } finally {
    await pair.end();
    for (const name of ['ext4.flash', 'ext4.home']) rmSync(at(name), { recursive: true, force: true });
  }
}

async function again(rate: number, before: string, after: string): Promise<void> {
  print(`\n${rate} MB/s, ${mebibytes} MiB of ${before} in use:`);
  const pair = await Pair.start(before, at(before), rate);
  try {
    const first = await pair.timed('first imaging', { do: 'keep', label: 'first' });
    said(first.log);
    await pair.rest();
    await pair.become(at(after));
    const second = await pair.timed('imaging again', { do: 'keep', label: 'second' });
    said(second.log);
    ratio('imaging again : first imaging', first.ms / second.ms, rate < 100 ? 4 : 1);
  } finally {
    await pair.end();
    for (const name of [`${before}.flash`, `${before}.home`])
      rmSync(at(name), { recursive: true, force: true });
  }
}

/** What compresses, as it is and packed: a phone and a larder that know nothing of each other yet for each. */
async function packing(rate: number): Promise<void> {
  print(`\n${rate} MB/s, ${mebibytes / 4} MiB of programs:`);
  const seconds = async (packer?: 'gzip' | 'zstd') => {
    const plainly = packer === undefined;
    const pair = await Pair.start('programs', at('programs'), rate, packer);
    const way = packer ? `packed by ${packer} where that is faster` : 'as it is';
    try {
      const kept = await pair.timed(`imaging, ${way}`, { do: 'keep', label: 'first', plainly });
      said(kept.log);
      const put = await pair.timed(`putting back, ${way}`, {
        do: 'put back',
        setId: kept.setId,
        all: true,
        plainly,
      });
      said(put.log);
      return { reading: kept.ms, writing: put.ms };
    } finally {
      await pair.end();
      for (const name of ['programs.flash', 'programs.home'])
        rmSync(at(name), { recursive: true, force: true });
    }
  };
  const plain = await seconds();
  for (const packer of ['gzip', 'zstd'] as const) {
    const packed = await seconds(packer);
    ratio(`imaging, ${packer} : as it is`, plain.reading / packed.reading, rate < 100 ? 1.5 : 1);
    ratio(`putting back, ${packer} : as it is`, plain.writing / packed.writing, rate < 100 ? 1.5 : 1);
  }
}

/** Four phones at once on cables without limit, beside one alone. */
async function four(): Promise<void> {
  print(`\nno limit, four phones of ${mebibytes / 8} MiB at once:`);
  makeExt4(at('four'), mebibytes / 8);
  const bytes = (mebibytes / 8) * 2 ** 20;
  const serials = ['BENCH-0001', 'BENCH-0002', 'BENCH-0003', 'BENCH-0004'];
  const phones = serials.map(
    (serial) => new Told<PhoneOrder>('cable-phone.ts', [serial, at(serial), at('four'), '0']),
  );
  const told = await Promise.all(phones.map((phone) => phone.answer<{ adb: string }>()));
  const addresses = told.map(({ adb }) => adb);
  try {
    const speeds: number[][] = [];
    for (const some of [addresses.slice(0, 1), addresses]) {
      const larder = new Told<LarderOrder>('cable-larder.mjs', [at(`four-${some.length}.home`), ...some]);
      await larder.answer();
      const ms = await larder.tell<number[]>({ do: 'keep all', label: 'first' });
      await larder.end();
      speeds.push(ms.map((each) => (bytes / each) * 1000));
      print(`  ${some.length} at once: ${ms.map((each) => `${(each / 1000).toFixed(1)} s`).join(', ')}`);
    }
    const [[one], all] = speeds as [[number], number[]];
    const slowest = Math.min(...all);
    ratio('four together : one alone', (slowest * all.length) / one, 0.9);
    ratio(
      'the slowest : a fair share of all',
      slowest / (all.reduce((sum, each) => sum + each, 0) / all.length),
      0.8,
    );
  } finally {
    for (const phone of phones) await phone.end();
  }
}

function opensslSpeed(): string {
  const { stdout } = spawnSync('openssl', ['speed', '-seconds', '1', '-bytes', '65536', 'sha256']);
  return `${Math.round(Number(/sha256\s+([\d.]+)k/.exec(stdout.toString())?.[1] ?? 0) / 1000)} MB/s`;
}
