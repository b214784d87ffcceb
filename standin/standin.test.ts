import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { forecastStart } from '@keen-larder/core/boot/boot.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { serial, startKnot3, testFolder, until } from '../testing/bench.ts';
import { startRecovery, startSystem } from './boot/start.ts';
import { filler } from './firmware/filler.ts';
import { overwriteFile } from './flash/file-writes.ts';
import { models } from './models.ts';
import type { Phone } from './phone/phone.ts';
import { brokenBuilds } from './scenario/broken-builds.ts';
import type { ShellHost } from './shell/host.ts';
import { runScript } from './shell/language/run.ts';

const folder = testFolder();
let phone: Phone;
let bench: Awaited<ReturnType<typeof startKnot3>>;
beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  phone = bench.phone;
  await until('the system', () => phone.state().mode === 'system');
});
afterAll(async () => {
  await bench.close();
  folder.remove();
});

const cache = () => ({
  device: '/dev/block/mmcblk0p16',
  at: '/cache',
  writable: true,
  source: phone.flash.partition('cache')!,
});

async function shell(script: string, over: Partial<ShellHost> = {}, stdin: Uint8Array[] = []) {
  const host: ShellHost = {
    mode: 'recovery',
    properties: { 'ro.a': '1' },
    rootDaemon: true,
    hasSu: false,
    flash: phone.flash,
    disk: 'mmcblk0',
    imei: undefined,
    mounts: [cache()],
    handed: new Map(),
    startedAt: Date.now(),
    isAgreedTo: () => Promise.resolve(false),
    battery: () => ({ percent: 50, charging: false }),
    reboot: () => undefined,
    ...over,
  };
  const out: Uint8Array[] = [];
  let err = '';
  const code = await runScript(script, host, {
    stdin: (async function* () {
      for (const part of stdin) yield await Promise.resolve(part);
    })(),
    out: (bytes) => Promise.resolve(void out.push(Buffer.from(bytes))),
    err: (text) => Promise.resolve(void (err += text)),
  });
  return { code, out: Buffer.concat(out), text: Buffer.concat(out).toString(), err };
}

describe('the small shell', () => {
  it('joins exit codes as shells do', async () => {
    expect((await shell('true && echo yes || echo no')).text).toBe('yes\n');
    expect((await shell('false && echo yes || echo no')).text).toBe('no\n');
    expect((await shell('nothing')).code).toBe(127);
    expect((await shell('echo a | sha256sum')).text).toMatch(
      /^87428fc522803d31065e7bce3cf03fe475096631e5e07bbd7a0fde60c4cf25c7 {2}-/,
    );
  });

  it('becomes root only where there is su', async () => {
    expect((await shell("su -c 'id -u'", { rootDaemon: false })).code).toBe(127);
    expect((await shell("su -c 'id -u'", { rootDaemon: false, hasSu: true })).text).toBe('0\n');
  });
});

describe('dd and its like', () => {
  it('read ranges of a partition', async () => {
    const device = phone.flash.partition('logo')!;
    const { out, err } = await shell('dd if=/dev/block/by-name/logo bs=4k skip=3 count=2');
    expect(out.equals(await device.read(3 * 4096, 8192))).toBe(true);
    expect(err).toMatch(/^2\+0 records in\n2\+0 records out\n8192 bytes/);
  });

  it('write what comes in, and say when a partition is full', async () => {
    const bytes = filler('program', 1, 600_000);
    const written = await shell('dd of=/dev/block/by-name/misc bs=1M conv=notrunc', {}, [
      bytes.subarray(0, 7),
      bytes.subarray(7),
    ]);
    expect(written.code).toBe(0);
    expect(Buffer.from(await phone.flash.partition('misc')!.read(0, 600_000)).equals(bytes)).toBe(true);
    const full = await shell('dd of=/dev/block/by-name/frp bs=1M', {}, [bytes]);
    expect(full).toMatchObject({ code: 1, err: expect.stringMatching(/No space left on device/) as string });
  });

  it.each([
    ['dd if=/dev/block/by-name/nope', /No such file/],
    ['dd if=/dev/block/by-name/logo bs=x', /bad bs/],
    ['dd what=ever', /unknown operand/],
    ['blockdev --getsize64 /dev/block/nope', /No such file/],
    ['umount /nowhere', /Invalid argument/],
    ['ls /nowhere', /No such file/],
  ])('%s complains', async (script, words) => {
    const { code, err } = await shell(script);
    expect(code).toBe(1);
    expect(err).toMatch(words);
  });

  it('list, measure and unmount', async () => {
    expect((await shell('ls -l /dev/block/by-name')).text).toMatch(/boot -> \/dev\/block\/mmcblk0p14\n/);
    expect(
      (await shell('blockdev --getsize64 /dev/block/by-name/frp; blockdev --getsize64 /dev/block/mmcblk0p14'))
        .text,
    ).toBe('524288\n16777216\n');
    const mounts = [cache()];
    expect((await shell('umount /cache && cat /proc/mounts', { mounts })).text).not.toMatch('/cache');
    expect((await shell('ls /cache')).text).toMatch('recovery\n');
    expect(
      (await shell('cat /sys/class/power_supply/battery/capacity /sys/class/power_supply/battery/status'))
        .text,
    ).toBe('50\nDischarging\n');
  });
});

describe('starting from its own bytes', () => {
  it('starts, with what the file systems say', async () => {
    expect(await startSystem(phone.flash, models.knot3)).toMatchObject({
      starts: true,
      hasSu: true,
      hasImei: true,
    });
    expect(await startRecovery(phone.flash, models.knot3)).toMatchObject({ starts: true, hasSu: false });
    expect(phone.state()).toMatchObject({ serial, mode: 'system', build: 'TideOS 9 TW3.260301.004' });
  });

  it('loses the IMEI with efs, and nothing else', async () => {
    const efs = phone.flash.partition('efs')!;
    const before = Buffer.from(await efs.read(0, 1 << 20));
    await efs.write(0, new Uint8Array(1 << 20));
    expect(await startSystem(phone.flash, models.knot3)).toMatchObject({ starts: true, hasImei: false });
    await efs.write(0, before);
    expect(await startSystem(phone.flash, models.knot3)).toMatchObject({ starts: true, hasImei: true });
  });

  it('does not load a kernel with one flipped bit', async () => {
    const boot = phone.flash.partition('boot')!;
    const [byte] = await boot.read(2_000_000, 1);
    await boot.write(2_000_000, Uint8Array.of(byte! ^ 4));
    expect(await startSystem(phone.flash, models.knot3)).toMatchObject({
      starts: false,
      stage: 'bootloader',
    });
    await boot.write(2_000_000, Uint8Array.of(byte!));
    expect(await startSystem(phone.flash, models.knot3)).toMatchObject({ starts: true });
  });

  it('reads no user data of a newer Android, and makes that of an older one its own', async () => {
    const userData = phone.flash.partition('userdata')!;
    const packages = async () => (await (await Ext4.open(userData)).text('/system/packages.xml'))!;
    const at = (await packages()).indexOf('sdkVersion="28"');
    const writeSdk = (sdk: number) =>
      overwriteFile(userData, '/system/packages.xml', at, Buffer.from(`sdkVersion="${sdk}"`));
    const forecast = () =>
      forecastStart(
        {
          partition: (name) => Promise.resolve(phone.flash.partition(name)),
          earlyLoader: () => Promise.resolve(undefined),
        },
        { slots: false, locked: false },
      );
    await writeSdk(29);
    const reason = expect.stringMatching(/newer Android \(SDK 29\) than the system \(SDK 28\)/) as string;
    expect(await startSystem(phone.flash, models.knot3)).toMatchObject({
      starts: false,
      stage: 'init',
      reason,
    });
    expect(await forecast()).toMatchObject({ result: 'loops', reason, system: { release: '9' } });
    await writeSdk(27);
    expect(await forecast()).toMatchObject({ result: 'starts' });
    expect(await startSystem(phone.flash, models.knot3)).toMatchObject({ starts: true });
    expect(await packages()).toContain('sdkVersion="28"');
  });

  it.each([
    ['wrong-kernel', 'init', /Android 15.0.0 .*system of 9/],
    ['half-firmware', 'init', /the system partition is damaged, so Android cannot start/],
    ['no-boot', 'bootloader', /boot cannot be loaded/],
  ])('%s fails in %s and leaves recovery', async (id, stage, reason) => {
    await brokenBuilds.find((build) => build.id === id)!.apply(phone.flash, models.knot3);
    expect(await startSystem(phone.flash, models.knot3)).toMatchObject({
      starts: false,
      stage,
      reason: expect.stringMatching(reason) as string,
    });
    expect(await startRecovery(phone.flash, models.knot3)).toMatchObject({ starts: true });
  });
});

describe('the battery', () => {
  it('charges on the cable, and drains without it, with time and with work', () => {
    const now = Date.now();
    const clock = vi.spyOn(Date, 'now');
    const after = (hours: number) => {
      clock.mockReturnValue(now + hours * 3_600_000);
      return phone.state().battery;
    };
    try {
      after(0);
      phone.setBattery(50, true);
      expect(after(1)).toMatchObject({ percent: 70, charging: true });
      expect(after(9)).toMatchObject({ percent: 100 });
      phone.setBattery(50, false);
      expect(after(14)).toMatchObject({ percent: 40, charging: false });
      expect(after(1000)).toMatchObject({ percent: 1 });
    } finally {
      clock.mockRestore();
      phone.setBattery(82, true);
    }
  });
});

it('a phone that is stopped while it starts ends cleanly, wherever its start is', async () => {
  const other = testFolder();
  for (const ms of [0, 150, 290, 305, 315]) {
    const starting = await startKnot3(join(other.path, 'phones'));
    await new Promise((resolve) => setTimeout(resolve, ms));
    // An error outside of any test would fail the run.
    await starting.close();
  }
  other.remove();
});
