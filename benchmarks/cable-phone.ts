/** A simulated phone in recovery, on a cable of some rate: `SERIAL FLASH IMAGE BYTES-PER-SECOND`, 0 for no limit. Its user data is the image's. */
import { existsSync, statSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { coarseBytes, fineBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import { streamDigest } from '@keen-larder/standin/flash/content-digests.ts';
import { deviceDigest } from '@keen-larder/standin/shell/commands.ts';
import { Flash, type Device } from '@keen-larder/standin/flash/flash.ts';
import { models } from '@keen-larder/standin/models.ts';
import { Phone } from '@keen-larder/standin/phone/phone.ts';
import { fastTiming } from '@keen-larder/standin/phone/phone-state.ts';
import { makeFlash } from './flash.ts';
import { obey } from './orders.ts';

/** `become`: user data is that of another image of the same size, changed where it differs. */
export type PhoneOrder = { readonly do: 'carried' } | { readonly do: 'become'; readonly image: string };

const MiB = 1 << 20;
const pageBytes = 4096;
/** Coarse pieces that changed since the phone last digested itself. */
const touched = new Set<number>();
let isSecond = false;
const [serial, path, image, rate] = process.argv.slice(2) as [string, string, string, string];
const megabytes = statSync(image).size / MiB;
if (!existsSync(path)) await makeFlash(path, [['userdata', megabytes]]);
const flash = await Flash.open(path);
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
    if (!isSecond) touched.add(Math.floor(at / coarseBytes));
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
  return changed;
}

/**
 * A phone digests on processors of its own, which are not to be timed: what the simulated one will be asked for is digested
 * before, and told again, recognised by its content.
 */
async function digestBefore(device: Device): Promise<void> {
  const digest = async (offset: number, bytes: number, by: 'sha256' | 'md5') =>
    streamDigest(partsOf(device, offset, Math.min(bytes, device.bytes - offset)), by);
  const pieces = (offset: number, bytes: number, pieceBytes: number) =>
    Array.from({ length: Math.ceil(bytes / pieceBytes) }, (_, i) => offset + i * pieceBytes);
  for (const coarse of pieces(0, device.bytes, coarseBytes)) {
    const changed = touched.has(coarse / coarseBytes);
    for (const by of ['md5', 'sha256'] as const) {
      if (changed) await digest(coarse, coarseBytes, by);
      if (changed && isSecond)
        for (const fine of pieces(coarse, coarseBytes, fineBytes)) await digest(fine, fineBytes, by);
    }
  }
  touched.clear();
  isSecond = true;
  for (const by of ['md5', 'sha256'] as const)
    await deviceDigest(flash, '/dev/block/by-name/userdata', device, by);
}

async function* partsOf(device: Device, offset: number, bytes: number): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < bytes; at += MiB) yield await device.read(offset + at, Math.min(MiB, bytes - at));
}
