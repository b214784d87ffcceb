import { gunzipSync } from 'node:zlib';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readUtf8 } from '@keen-larder/core/bytes/text.ts';
import { readBootImage } from '@keen-larder/core/formats/boot-image/index.ts';
import { readCpio } from '@keen-larder/core/formats/cpio/index.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/index.ts';
import { parseProperties } from '@keen-larder/core/phone/facts.ts';
import { keyPath } from '../firmware/contents.ts';
import { CipherDevice, unwrapKey } from '../flash/cipher.ts';
import { logicalDevice } from '../flash/compose.ts';
import { IoError } from '../flash/faults.ts';
import type { Device, Flash } from '../flash/flash.ts';
import type { Model } from '../models.ts';
import { activeSlot, type Slot } from './slots.ts';
import { verifyChain } from './verify-chain.ts';

/** A file system that the start has found. */
export interface FoundMount {
  /** Partition, or logical partition of `super`. */
  readonly partition: string;
  readonly at: string;
  readonly writable: boolean;
  readonly source: Device;
  /** Lies behind a device mapper: logical, or seen through a cipher. */
  readonly isMapped: boolean;
}

/** What came of starting from the bytes on the flash. */
export type StartOutcome =
  | {
      readonly starts: true;
      /** From the ramdisk and, in system mode, from build.prop. */
      readonly properties: Readonly<Record<string, string>>;
      readonly hasSu: boolean;
      /** Undefined for a model without a modem. */
      readonly hasImei: boolean | undefined;
      readonly mounts: readonly FoundMount[];
      readonly slot: Slot | undefined;
    }
  | {
      readonly starts: false;
      /** `bootloader`: nothing ran. `init`: the kernel ran and the link was up for a moment. */
      readonly stage: 'bootloader' | 'init';
      readonly reason: string;
    };

interface Kernel {
  readonly version: string;
  readonly patchLevel: string;
  readonly properties: Record<string, string>;
}

const maxUnpackedBytes = 64 << 20;

class StartFailure extends Error {
  constructor(
    readonly stage: 'bootloader' | 'init',
    message: string,
  ) {
    super(message);
  }
}

/** Walks the boot chain into the system, as the phone does: bootloader, kernel, init, system, user data. */
export const startSystem = (flash: Flash, model: Model): Promise<StartOutcome> =>
  outcome(async () => {
    const slot = await slotOf(flash, model);
    await verify(flash, model, slot);
    const kernel = await loadKernel(flash, model, 'boot', slot);
    const root = await systemMount(flash, model, slot);
    const system = await openFs(root.source, root.partition);
    const text = await system.text('/build.prop');
    if (text === undefined) throw new StartFailure('init', 'system has no build.prop');
    const properties = parseProperties(text);
    const release = properties['ro.build.version.release'] ?? '?';
    const patch = (properties['ro.build.version.security_patch'] ?? '?').slice(0, 7);
    if (kernel.version.split('.')[0] !== release || kernel.patchLevel !== patch) {
      throw new StartFailure(
        'init',
        `boot is of Android ${kernel.version} (${kernel.patchLevel}), system of ${release} (${patch})`,
      );
    }
    const framework = await system.find('/framework/framework.jar');
    if (framework?.type !== 'file') throw new StartFailure('init', 'system has no framework');
    for await (const part of system.content(framework)) void part;
    const userData = await userDataDevice(flash, model);
    await openFs(userData, 'userdata');
    return {
      properties: { ...kernel.properties, ...properties },
      hasSu: (await system.find('/xbin/su'))?.type === 'file',
      hasImei: await hasImei(flash, model),
      slot,
      mounts: [
        root,
        {
          partition: 'userdata',
          at: '/data',
          writable: true,
          source: userData,
          isMapped: model.encrypted,
        },
        ...plainMounts(flash),
      ],
    };
  });

/** Starts the recovery, which needs nothing but its own image. */
export const startRecovery = (flash: Flash, model: Model): Promise<StartOutcome> =>
  outcome(async () => {
    const slot = await slotOf(flash, model);
    const kernel = await loadKernel(flash, model, slot ? 'boot' : 'recovery', slot);
    const cache = flash.partition('cache');
    return {
      properties: kernel.properties,
      hasSu: false,
      hasImei: await hasImei(flash, model),
      slot,
      mounts: cache
        ? [{ partition: 'cache', at: '/cache', writable: true, source: cache, isMapped: false }]
        : [],
    };
  });

/**
 * User data as the running system sees it.
 * @throws StartFailure when its key does not open with what this phone knows
 */
export async function userDataDevice(flash: Flash, model: Model): Promise<Device> {
  const device = flash.partition('userdata');
  if (!device) throw new StartFailure('init', 'there is no userdata partition');
  if (!model.encrypted) return device;
  const metadata = flash.partition('metadata');
  if (!metadata) throw new StartFailure('init', 'there is no metadata partition');
  const fs = await openFs(metadata, 'metadata');
  const file = await fs.find(keyPath);
  const key = file && unwrapKey(await fs.read(file), await flash.secret());
  if (!key) throw new StartFailure('init', 'the key of userdata does not open on this phone');
  return new CipherDevice(device, key);
}

/** Small partitions that the system mounts where a model has them. */
function plainMounts(flash: Flash): FoundMount[] {
  const places = {
    cache: '/cache',
    efs: '/efs',
    sec_efs: '/mnt/vendor/efs',
    persist: '/persist',
    nvdata: '/mnt/vendor/nvdata',
    metadata: '/metadata',
  };
  return Object.entries(places).flatMap(([partition, at]) => {
    const source = flash.partition(partition);
    return source ? [{ partition, at, writable: true, source, isMapped: false }] : [];
  });
}

/** The first that runs: without the early loader nothing does, and the slot is nowhere named. */
async function slotOf(flash: Flash, model: Model): Promise<Slot | undefined> {
  const early = await flash.earlyLoader?.read(0, 4096);
  if (early && !early.some((byte) => byte !== 0))
    throw new StartFailure('bootloader', 'the early loader is empty');
  if (!model.slots) return undefined;
  const misc = flash.partition('misc');
  return misc ? activeSlot(misc) : 'a';
}

async function verify(flash: Flash, model: Model, slot: Slot | undefined): Promise<void> {
  if (!slot) return;
  const fault = await verifyChain(flash, slot);
  // An unlocked bootloader warns and goes on.
  if (fault && model.bootloaderLocked) throw new StartFailure('bootloader', fault);
}

async function systemMount(flash: Flash, { slots }: Model, slot: Slot | undefined): Promise<FoundMount> {
  const name = slots ? `system_${slot}` : 'system';
  const superDevice = slots ? flash.partition('super') : undefined;
  const source = superDevice ? await logicalDevice(superDevice, name) : flash.partition(name);
  if (!source) throw new StartFailure('init', `there is no ${name} partition`);
  return { partition: name, at: '/system', writable: false, source, isMapped: slots };
}

async function outcome(
  walk: () => Promise<Omit<StartOutcome & { starts: true }, 'starts'>>,
): Promise<StartOutcome> {
  try {
    return { starts: true, ...(await walk()) };
  } catch (error) {
    if (error instanceof StartFailure) {
      return { starts: false, stage: error.stage, reason: error.message };
    }
    if (error instanceof FormatError || error instanceof IoError) {
      return { starts: false, stage: 'init', reason: error.message };
    }
    throw error;
  }
}

/** The bootloader's part: header, kernel and ramdisk must unpack; gzip's own CRC judges them. */
async function loadKernel(
  flash: Flash,
  { slots }: Model,
  name: 'boot' | 'recovery',
  slot: Slot | undefined,
): Promise<Kernel> {
  const suffix = slot ? `_${slot}` : '';
  try {
    const boot = await partOf(flash, `${name}${suffix}`, 'kernel');
    // With two slots the ramdisk has a partition of its own.
    const init = await partOf(flash, slots ? `init_boot${suffix}` : name, 'ramdisk');
    const defaults = readCpio(init.bytes).find(({ path }) => path === 'prop.default');
    if (!boot.os || !defaults) throw new StartFailure('bootloader', `${name} does not say what it is`);
    return { ...boot.os, properties: parseProperties(readUtf8(defaults.content)) };
  } catch (error) {
    if (error instanceof StartFailure) throw error;
    throw new StartFailure('bootloader', `${name} cannot be loaded: ${(error as Error).message}`);
  }
}

async function partOf(flash: Flash, name: string, wanted: 'kernel' | 'ramdisk') {
  const device = flash.partition(name);
  if (!device) throw new StartFailure('bootloader', `there is no ${name} partition`);
  const image = await readBootImage(device);
  const found = image.parts.find((each) => each.name === wanted);
  if (!found) throw new StartFailure('bootloader', `${name} has no ${wanted}`);
  const bytes = gunzipSync(await device.read(found.offset, found.bytes), {
    maxOutputLength: maxUnpackedBytes,
  });
  return { os: image.os, bytes };
}

async function openFs(device: Device, name: string): Promise<Ext4> {
  try {
    return await Ext4.open(device);
  } catch (error) {
    throw new StartFailure('init', `${name} cannot be mounted: ${(error as Error).message}`);
  }
}

async function hasImei(flash: Flash, { imei }: Model): Promise<boolean | undefined> {
  if (!imei) return undefined;
  const device = flash.partition(imei.partition);
  if (!device) return false;
  try {
    return /^\d{15}\s*$/.test((await (await Ext4.open(device)).text(imei.path)) ?? '');
  } catch (error) {
    if (error instanceof FormatError || error instanceof IoError) return false;
    throw error;
  }
}
