import { gunzipSync } from 'node:zlib';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { readUtf8 } from '@keen-larder/core/bytes/text.ts';
import { readBootImage } from '@keen-larder/core/formats/boot-image/index.ts';
import { readCpio } from '@keen-larder/core/formats/cpio/index.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/index.ts';
import { parseProperties } from '@keen-larder/core/phone/facts.ts';
import type { Device, Flash } from '../flash/flash.ts';

/** What came of starting from the bytes on the flash. */
export type StartOutcome =
  | {
      readonly starts: true;
      /** From the ramdisk and, in system mode, from build.prop. */
      readonly properties: Readonly<Record<string, string>>;
      readonly hasSu: boolean;
      readonly hasImei: boolean;
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
export const startSystem = (flash: Flash): Promise<StartOutcome> =>
  outcome(async () => {
    const kernel = await loadKernel(flash, 'boot');
    const system = await openFs(flash, 'system', 'init');
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
    await openFs(flash, 'userdata', 'init');
    return {
      properties: { ...kernel.properties, ...properties },
      hasSu: (await system.find('/xbin/su'))?.type === 'file',
      hasImei: await hasImei(flash),
    };
  });

/** Starts the recovery, which needs nothing but its own image. */
export const startRecovery = (flash: Flash): Promise<StartOutcome> =>
  outcome(async () => ({
    properties: (await loadKernel(flash, 'recovery')).properties,
    hasSu: false,
    hasImei: await hasImei(flash),
  }));

async function outcome(
  walk: () => Promise<Omit<StartOutcome & { starts: true }, 'starts'>>,
): Promise<StartOutcome> {
  try {
    return { starts: true, ...(await walk()) };
  } catch (error) {
    if (error instanceof StartFailure) {
      return { starts: false, stage: error.stage, reason: error.message };
    }
    if (error instanceof FormatError) return { starts: false, stage: 'init', reason: error.message };
    throw error;
  }
}

/** The bootloader's part: header, kernel and ramdisk must unpack; gzip's own CRC judges them. */
async function loadKernel(flash: Flash, name: 'boot' | 'recovery'): Promise<Kernel> {
  const device = flash.partition(name);
  if (!device) throw new StartFailure('bootloader', `there is no ${name} partition`);
  try {
    const image = await readBootImage(device);
    const part = async (wanted: 'kernel' | 'ramdisk') => {
      const found = image.parts.find((each) => each.name === wanted);
      if (!found) throw new StartFailure('bootloader', `${name} has no ${wanted}`);
      return gunzipSync(await device.read(found.offset, found.bytes), { maxOutputLength: maxUnpackedBytes });
    };
    await part('kernel');
    const defaults = readCpio(await part('ramdisk')).find(({ path }) => path === 'prop.default');
    if (!image.os || !defaults) throw new StartFailure('bootloader', `${name} does not say what it is`);
    return { ...image.os, properties: parseProperties(readUtf8(defaults.content)) };
  } catch (error) {
    if (error instanceof StartFailure) throw error;
    throw new StartFailure('bootloader', `${name} cannot be loaded: ${(error as Error).message}`);
  }
}

async function openFs(flash: Flash, name: string, stage: 'init'): Promise<Ext4> {
  const device: Device | undefined = flash.partition(name);
  if (!device) throw new StartFailure(stage, `there is no ${name} partition`);
  try {
    return await Ext4.open(device);
  } catch (error) {
    throw new StartFailure(stage, `${name} cannot be mounted: ${(error as Error).message}`);
  }
}

async function hasImei(flash: Flash): Promise<boolean> {
  const efs = flash.partition('efs');
  if (!efs) return false;
  try {
    return /^\d{15}\s*$/.test((await (await Ext4.open(efs)).text('/imei/imei.bin')) ?? '');
  } catch (error) {
    if (error instanceof FormatError) return false;
    throw error;
  }
}
