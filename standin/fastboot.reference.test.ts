// Debian's fastboot client (AOSP system/core/fastboot) works with the simulated bootloaders.
import { execFile, execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { activeSlot } from '@keen-larder/core/boot/boot.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { serial, startKnot3, testFolder, until } from '../testing/bench.ts';
import type { PracticeBench } from './bench.ts';
import { filler } from './firmware/filler.ts';
import { maxDownloadBytes } from './fastboot/variables.ts';

const knot5 = 'TW5K-20316';
const reed2 = 'MR2Q-44107';
const folder = testFolder();
const at = (name: string) => join(folder.path, name);
let bench: PracticeBench;
const phoneOf = (wanted: string) => bench.phones.find(({ identity }) => identity.serial === wanted)!;
beforeAll(async () => {
  bench = await startKnot3(at('phones'), [knot5, reed2]);
  for (const phone of bench.phones) {
    void phone.start('bootloader');
    await until('the bootloader', () => phone.state().mode === 'bootloader');
  }
});
afterAll(async () => {
  await bench.close();
  folder.remove();
});

const run = promisify(execFile);
async function fastbootOf(wanted: string, ...args: string[]): Promise<string> {
  const { stdout, stderr } = await run(
    'fastboot',
    ['-s', `tcp:${phoneOf(wanted).state().fastboot}`, ...args],
    { timeout: 60_000 },
  );
  return stdout + stderr;
}
const fastboot = (...args: string[]) => fastbootOf(serial, ...args);
async function digestOf(name: string, bytes?: number): Promise<string> {
  const device = phoneOf(serial).flash.partition(name)!;
  return createHash('sha256')
    .update(await device.read(0, bytes ?? device.bytes))
    .digest('hex');
}
const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

it('tells single variables, all of them, and which it does not have', async () => {
  expect(await fastboot('getvar', 'serialno')).toMatch(`serialno: ${serial}`);
  expect(await fastboot('getvar', 'max-download-size')).toMatch(/max-download-size: 0x1800000/);
  const all = await fastboot('getvar', 'all');
  expect(all).toMatch(/unlocked: ?yes/);
  expect(all).toMatch(/partition-size:boot: 0x1000000/);
  expect(all).toMatch(/has-slot:boot: no/);
  expect(await fastboot('getvar', 'nonsense')).toMatch(/FAILED \(remote: 'unknown variable'\)/);
});

describe('it takes', () => {
  it('a raw image', async () => {
    const image = filler('program', 77, 3 << 20);
    writeFileSync(at('logo.img'), image);
    await fastboot('flash', 'logo', at('logo.img'));
    expect(await digestOf('logo', image.length)).toBe(sha256(image));
  });

  it('a sparse image that img2simg made, holes left alone', async () => {
    const image = Buffer.alloc(8 << 20);
    image.set(filler('records', 78, 1 << 20), 2 << 20);
    writeFileSync(at('hole.img'), image);
    execFileSync('img2simg', [at('hole.img'), at('hole.simg')]);
    await fastboot('flash', 'logo', at('hole.simg'));
    expect(
      sha256(
        await phoneOf(serial)
          .flash.partition('logo')!
          .read(2 << 20, 1 << 20),
      ),
    ).toBe(sha256(image.subarray(2 << 20, 3 << 20)));
  });

  it('an image larger than one download, which the client sends in pieces', async () => {
    const image = Buffer.concat([filler('program', 79, 17 << 20), filler('records', 80, 15 << 20)]);
    expect(image.length).toBeGreaterThan(maxDownloadBytes);
    writeFileSync(at('modem.img'), image);
    await fastboot('flash', 'modem', at('modem.img'));
    expect(await digestOf('modem', image.length)).toBe(sha256(image));
  });

  it('erasing', async () => {
    await fastboot('erase', 'logo');
    expect(await digestOf('logo')).toBe(sha256(Buffer.alloc(8 << 20)));
  });

  it('the other slot as the one to start', async () => {
    expect(await fastbootOf(knot5, 'getvar', 'current-slot')).toMatch(/current-slot: a/);
    await fastbootOf(knot5, 'set_active', 'b');
    expect(await activeSlot(phoneOf(knot5).flash.partition('misc')!)).toBe('b');
    writeFileSync(at('dtbo.img'), filler('program', 81, 100_000));
    // The client asks which slot starts and adds its suffix.
    await fastbootOf(knot5, 'flash', 'dtbo', at('dtbo.img'));
    expect(await phoneOf(knot5).flash.partition('dtbo_b')!.read(0, 100_000)).toEqual(
      readFileSync(at('dtbo.img')),
    );
    await fastbootOf(knot5, 'set_active', 'a');
  });
});

describe('it refuses', () => {
  it('an image that is too large, and a partition that is not there', async () => {
    writeFileSync(at('large.img'), filler('program', 82, 9 << 20));
    const before = await digestOf('logo');
    await expect(fastboot('flash', 'logo', at('large.img'))).rejects.toThrow(/larger than the partition/);
    expect(await digestOf('logo')).toBe(before);
    await expect(fastboot('flash', 'nothing', at('logo.img'))).rejects.toThrow(
      /no partition is called nothing/,
    );
  });

  it('everything while it is locked', async () => {
    for (const command of [
      ['flash', 'logo', at('logo.img')],
      ['erase', 'cache'],
    ]) {
      await expect(fastbootOf(reed2, ...command)).rejects.toThrow(/locked/);
    }
  });
});

it('restarts into the system', async () => {
  await fastboot('reboot');
  await until('the system', () => phoneOf(serial).state().mode === 'system');
});

it('locks and unlocks, wipes user data with it, and takes nothing while it is locked', async () => {
  const phone = phoneOf(serial);
  void phone.start('bootloader');
  await until('the bootloader', () => phone.state().mode === 'bootloader');
  const userData = async () =>
    (await Ext4.open(phone.flash.partition('userdata')!)).text('/system/packages.list');
  expect(await userData()).toMatch(/example\.tidebook/);
  const secret = await phone.flash.secret();
  expect(await fastboot('flashing', 'get_unlock_ability')).toMatch(/get_unlock_ability: 1/);
  await fastboot('flashing', 'lock');
  expect(await userData()).toBe('');
  expect(Buffer.from(await phone.flash.secret()).equals(secret)).toBe(false);
  expect(await fastboot('getvar', 'unlocked')).toMatch(/unlocked: no/);
  await expect(fastboot('erase', 'logo')).rejects.toThrow(/not allowed while the bootloader is locked/);
  await expect(fastboot('flashing', 'lock')).rejects.toThrow(/already locked/);
  await fastboot('flashing', 'unlock');
  expect(await fastboot('getvar', 'unlocked')).toMatch(/unlocked: yes/);
});

it('asks on its screen first, and does nothing when that is refused', async () => {
  const phone = phoneOf(serial);
  phone.trusting = false;
  try {
    const asked = fastboot('flashing', 'lock');
    await until('the question', () => phone.state().question === 'lock');
    await phone.answerAsking(false);
    await expect(asked).rejects.toThrow(/refused on the screen/);
    expect(phone.state()).toMatchObject({ locked: false, question: undefined });
  } finally {
    phone.trusting = true;
  }
});
