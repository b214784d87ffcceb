import { mkdtempSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { bootControlOf, chainFault, forecastStart, type Slot } from '@keen-larder/core/boot/boot.ts';
import { readLogicalPartitions } from '@keen-larder/core/formats/logical-partitions/logical-partitions.ts';
import { looksLikeExt4 } from '@keen-larder/core/formats/ext4/ext4.ts';
import { looksLikeF2fs } from '@keen-larder/core/formats/f2fs/f2fs.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { testFolder } from '../testing/bench.ts';
import { copyFlashes } from '../testing/flashes.ts';
import { startRecovery, startSystem, userDataDevice } from './boot/start.ts';
import { IoError } from './flash/faults.ts';
import { Flash } from './flash/flash.ts';
import { makerSigner } from './firmware/verified-chain.ts';
import { models } from './models.ts';
import { useForADay } from './scenario/daily-use.ts';
import { recipes } from './scenario/phones.ts';

const folder = testFolder();
afterAll(() => folder.remove());

/** As it leaves the works; each test that asks has its own. */
async function made(name: keyof typeof models): Promise<Flash> {
  const { serial } = recipes.find(({ model }) => model === name)!;
  const home = mkdtempSync(join(folder.path, 'phones-'));
  await copyFlashes(home, [serial]);
  return Flash.open(join(home, `${serial}.flash`), models[name].sectorBytes);
}

/** Changes a byte of a partition, and gives the way back. */
async function changed(flash: Flash, partition: string, at: number): Promise<() => Promise<void>> {
  const device = flash.partition(partition)!;
  const [byte] = await device.read(at, 1);
  await device.write(at, Uint8Array.of(byte! ^ 1));
  return () => device.write(at, Uint8Array.of(byte!));
}

describe('Knot 5', () => {
  let flash: Flash;
  const model = models.knot5;
  beforeAll(async () => {
    flash = await made('knot5');
  });
  afterAll(() => flash.close());

  it('starts from slot a, through logical partitions and a cipher', async () => {
    const outcome = await startSystem(flash, model);
    expect(outcome).toMatchObject({ starts: true, slot: 'a', hasImei: true, hasSu: true });
    expect(await startRecovery(flash, model)).toMatchObject({ starts: true, mounts: [] });
    const { partitions } = await readLogicalPartitions(flash.partition('super')!);
    expect(partitions.map(({ name, bytes }) => [name, bytes >> 20])).toContainEqual(['product_a', 32]);
  });

  it('has user data that is ciphertext to all but itself', async () => {
    const raw = await flash.partition('userdata')!.read(0, 8192);
    expect([looksLikeExt4(raw), looksLikeF2fs(raw)]).toEqual([false, false]);
    const userData = await userDataDevice(flash, model);
    const fs = await openFileSystem(userData);
    expect(fs.format).toBe('f2fs');
    expect((await fs.text('/system/packages.list'))!).toMatch(/example\.harbourchat 10082/);
    await useForADay(flash, 4, userData);
    const again = await openFileSystem(await userDataDevice(flash, model));
    expect((await again.text('/system/starts.txt'))!.trim()).toBe('00000000004');
  });

  it('does not open user data when metadata is lost or the phone’s secret is another', async () => {
    const back = await changed(flash, 'metadata', 0);
    const metadata = flash.partition('metadata')!;
    const before = Buffer.from(await metadata.read(0, metadata.bytes));
    await back();
    const kept = Buffer.from(await metadata.read(0, metadata.bytes));
    await metadata.write(0, new Uint8Array(metadata.bytes));
    expect(await startSystem(flash, model)).toMatchObject({ starts: false, stage: 'init' });
    await metadata.write(0, kept);
    expect(before.equals(kept)).toBe(false);
    expect(await startSystem(flash, model)).toMatchObject({ starts: true });
    await flash.renewSecret();
    expect(await startSystem(flash, model)).toMatchObject({
      starts: false,
      reason: 'the key of userdata does not open on this phone',
    });
  });

  const faultOf = (slot: Slot) =>
    chainFault(
      {
        partition: (name) => Promise.resolve(flash.partition(name)),
        earlyLoader: () => Promise.resolve(undefined),
      },
      `_${slot}`,
      { makerKey: makerSigner('tidewell').publicKey },
    );
  const activate = async (slot: Slot) => {
    const { offset, bytes } = bootControlOf(slot);
    await flash.partition('misc')!.write(offset, bytes);
  };

  it('is signed for by its maker, image by image', async () => {
    expect(await faultOf('a')).toBeUndefined();
    expect(await faultOf('b')).toBeDefined();
    for (const [partition, at, words] of [
      ['boot_a', 2_000_000, /boot is not what vbmeta signs for/],
      ['dtbo_a', 100, /dtbo is not what vbmeta signs for/],
      ['vbmeta_a', 600, /verified-boot|vbmeta/],
      ['vbmeta_system_a', 700, /vbmeta_system/],
    ] as const) {
      const back = await changed(flash, partition, at);
      expect(await faultOf('a')).toMatch(words);
      await back();
    }
    expect(await faultOf('a')).toBeUndefined();
  });

  // source.android.com, Verified Boot, “Boot flow”: green and yellow, orange, red.
  it.each([
    { locked: true, isChanged: false, result: 'starts' },
    { locked: false, isChanged: false, result: 'starts' },
    { locked: false, isChanged: true, result: 'warns' },
    { locked: true, isChanged: true, result: 'refused' },
  ])('locked $locked, changed $isChanged: $result', async ({ locked, isChanged, result }) => {
    const back = isChanged ? await changed(flash, 'dtbo_a', 100) : undefined;
    const forecast = await forecastStart(
      {
        partition: (name) => Promise.resolve(flash.partition(name)),
        earlyLoader: () => Promise.resolve(undefined),
      },
      {
        slots: true,
        locked,
        makerKey: makerSigner('tidewell').publicKey,
      },
    );
    const outcome = await startSystem(flash, { ...model, bootloaderLocked: locked });
    await back?.();
    expect(forecast.result).toBe(result);
    // Past its bootloader it has lost its secret by now.
    expect(outcome).toMatchObject({ stage: result === 'refused' ? 'bootloader' : 'init' });
  });

  it('starts from the slot that misc names', async () => {
    await activate('b');
    expect(await startSystem(flash, model)).toMatchObject({ starts: false, stage: 'bootloader' });
    await activate('a');
  });
});

describe('Sedge 10 and Reed 2', () => {
  it('start, one without a modem and one behind its early loader', async () => {
    const sedge = await made('sedge10');
    expect(await startSystem(sedge, models.sedge10)).toMatchObject({
      starts: true,
      hasSu: false,
      hasImei: undefined,
    });
    await sedge.close();
    const reed = await made('reed2');
    expect(await startSystem(reed, models.reed2)).toMatchObject({ starts: true, hasImei: true });
    const early = Buffer.from(await reed.earlyLoader!.read(0, 4096));
    await reed.earlyLoader!.write(0, new Uint8Array(4096));
    expect(await startRecovery(reed, models.reed2)).toMatchObject({ starts: false, stage: 'early-loader' });
    await reed.earlyLoader!.write(0, early);
    await reed.close();
  });
});

describe('faults', () => {
  it('strike where the seed says, and the same seed in the same places', async () => {
    const flash = await made('sedge10');
    const persist = flash.partition('persist')!;
    const { startBytes, bytes } = flash.list().find(({ name }) => name === 'persist')!;
    const within = { offset: startBytes, bytes };
    const places = flash.faults.strike('worn', within, 3, 7);
    await expect(persist.read(places[0]!.offset - startBytes, 512)).rejects.toThrow(IoError);
    flash.faults.clear();
    expect(flash.faults.strike('worn', within, 3, 7)).toEqual(places);
    flash.faults.clear();
    flash.faults.strike('weak', within, 1, 7);
    const at = places[0]!.offset - startBytes;
    const [first, second] = [
      Buffer.from(await persist.read(at, 4096)),
      Buffer.from(await persist.read(at, 4096)),
    ];
    expect(first.equals(second)).toBe(false);
    flash.faults.clear();
    flash.faults.strike('unwritable', within, 1, 7);
    await expect(persist.write(at, Buffer.alloc(1))).rejects.toThrow(IoError);
    await flash.close();
  });
});

describe('Rush 4', () => {
  it('starts locked, from a chain that its maker signed, and gives no root', async () => {
    const flash = await made('rush4');
    const model = models.rush4;
    try {
      const outcome = await startSystem(flash, model);
      expect(outcome).toMatchObject({ starts: true, slot: 'a', hasImei: true, hasSu: false });
      const back = await changed(flash, 'boot_a', 100_000);
      expect(await startSystem(flash, model)).toMatchObject({ starts: false });
      await back();
      const head = await flash.partition('userdata')!.read(0, 8192);
      expect([looksLikeExt4(head), looksLikeF2fs(head)]).toEqual([false, false]);
      const { partitions } = await readLogicalPartitions(flash.partition('super')!);
      expect(partitions.map(({ name }) => name)).toContain('vendor_a');
    } finally {
      await flash.close();
    }
  });
});
