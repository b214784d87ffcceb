/**
 * A simulated phone in recovery, on a cable of some rate: `SERIAL FLASH IMAGE BYTES-PER-SECOND [gzip|zstd]`, 0 for no limit, and
 * what it packs with. Its user data is the image's.
 */
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, statSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { coarseBytes, fineBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import { deviceDigest } from '@keen-larder/standin/flash/content-digests.ts';
import { commandTable } from '@keen-larder/standin/shell/commands.ts';
import { Flash, type Device } from '@keen-larder/standin/flash/flash.ts';
import { models } from '@keen-larder/standin/models.ts';
import type { Command, Process, ShellHost, Streams } from '@keen-larder/standin/shell/host.ts';
import { packBefore } from '@keen-larder/standin/shell/gzip.ts';
import { runScript } from '@keen-larder/standin/shell/language/run.ts';
import { piecesScript } from '@keen-larder/server/links/adb/commands.ts';
import { Phone } from '@keen-larder/standin/phone/phone.ts';
import { fastTiming } from '@keen-larder/standin/phone/phone-state.ts';
import { makeFlash } from './flash.ts';
import { obey } from './orders.ts';

/** `become`: user data is that of another image of the same size, changed where it differs. */
export type PhoneOrder = { readonly do: 'carried' } | { readonly do: 'become'; readonly image: string };

const MiB = 1 << 20;
const pageBytes = 4096;
const node = '/dev/block/by-name/userdata';
/** Coarse pieces that changed since the phone last digested itself. */
const touched = new Set<number>();
let isSecond = false;
const [serial, path, image, rate, packer] = process.argv.slice(2) as [
  string,
  string,
  string,
  string,
  ('gzip' | 'zstd')?,
];
const megabytes = statSync(image).size / MiB;
if (!existsSync(path)) await makeFlash(path, [['userdata', megabytes]]);
const flash = await Flash.open(path);
/** What its shell sees of it, for what is digested before. */
const host: ShellHost = {
  mode: 'recovery',
  properties: {},
  rootDaemon: true,
  hasSu: false,
  flash,
  disk: 'sda',
  mounts: [],
  handed: new Map(),
  startedAt: Date.now(),
  imei: undefined,
  isAgreedTo: () => Promise.resolve(false),
  battery: () => ({ percent: 90, charging: true }),
  reboot: () => undefined,
};
const nowhere: Streams = {
  stdin: (async function* () {})(),
  out: () => Promise.resolve(),
  err: () => Promise.resolve(),
};
if (packer === 'zstd') (commandTable as Record<string, Command>)['zstd'] = zstd;
await become(image);
const phone = new Phone(
  { serial },
  models.knot3,
  flash,
  { ...fastTiming, bytesPerSecond: Number(rate) || Infinity },
  90,
);
await phone.listen(0);
await phone.start('recovery');
await obey<PhoneOrder>({ adb: phone.state().adb }, async (order) =>
  order.do === 'carried' ? { bytes: phone.cable.carried } : { changed: await become(order.image) },
);
process.exit(0);

/** @returns how many bytes were other ones */
async function become(path: string): Promise<number> {
  const userData = flash.partition('userdata')!;
  const source = await open(path, 'r');
  const wanted = Buffer.alloc(MiB);
  let changed = 0;
  for (let at = 0; at < userData.bytes; at += MiB) {
    await source.read(wanted, 0, MiB, at);
    const present = await userData.read(at, MiB);
    if (wanted.equals(present)) continue;
    touched.add(Math.floor(at / coarseBytes));
    for (let page = 0; page < MiB; page += pageBytes) {
      const own = wanted.subarray(page, page + pageBytes);
      if (own.equals(present.subarray(page, page + pageBytes))) continue;
      changed += pageBytes;
      await userData.write(at + page, own);
    }
  }
  await source.close();
  await digestBefore(userData);
  if (packer === 'gzip') await packBefore(contentOf(userData), 1);
  return changed;
}

/** The tool itself, as a phone may have it that has more than the platform's. */
async function zstd({ args, stdin, out }: Process): Promise<number> {
  const tool = spawn('zstd', args, { stdio: ['pipe', 'pipe', 'inherit'] });
  const ended = once(tool, 'exit');
  const giving = (async () => {
    // A part is good until the next one is asked for: it must have gone into the pipe by then.
    for await (const part of stdin)
      await new Promise<void>((resolve, reject) =>
        tool.stdin.write(part, (error) => (error ? reject(error) : resolve())),
      );
    tool.stdin.end();
  })();
  for await (const part of tool.stdout as AsyncIterable<Uint8Array>) await out(part);
  await giving;
  return ((await ended) as [number])[0];
}

async function* contentOf(device: Device): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < device.bytes; at += MiB) yield device.read(at, MiB);
}

/**
 * A phone digests on processors of its own, which are not to be timed: what the simulated one will be asked for is digested
 * before, and told again, recognised by its content.
 */
async function digestBefore(device: Device): Promise<void> {
  const pieces = async (offset: number, bytes: number, pieceBytes: number, by: 'sha256' | 'md5') => {
    const range = { offset, bytes: Math.min(bytes, device.bytes - offset) };
    await runScript(piecesScript(by, node, range, pieceBytes), host, nowhere);
  };
  for (const by of ['md5', 'sha256'] as const) {
    await pieces(0, device.bytes, coarseBytes, by);
    if (isSecond)
      for (const coarse of touched) await pieces(coarse * coarseBytes, coarseBytes, fineBytes, by);
    await deviceDigest(device, { offset: 0, bytes: device.bytes }, by);
  }
  touched.clear();
  isSecond = true;
}
