import { gunzipSync } from 'node:zlib';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import {
  BootFailure,
  loadKernel,
  openFs,
  startingSlot,
  walkToSystem,
  type BootFlash,
  type BootRules,
  type LoadedKernel,
  type Slot,
} from '@keen-larder/core/boot/index.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { Ext4 } from '@keen-larder/core/formats/ext4/index.ts';
import { keyPath } from '../firmware/contents.ts';
import { CipherDevice, unwrapKey } from '../flash/cipher.ts';
import { makerSigner } from '../firmware/verified-chain.ts';
import { logicalDevice } from '../flash/compose.ts';
import { IoError } from '../flash/faults.ts';
import type { Device, Flash } from '../flash/flash.ts';
import type { Model } from '../models.ts';

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

const maxUnpackedBytes = 64 << 20;

/** A simulated phone's flash as its boot chain sees it. */
const bootFlash = (flash: Flash): BootFlash => ({
  partition: (name) => {
    const device = flash.partition(name);
    return Promise.resolve(device && worn(device));
  },
  earlyLoader: () => Promise.resolve(flash.earlyLoader),
});

/** What cannot be read is as good as damaged. */
const worn = (device: Device): ByteSource => ({
  bytes: device.bytes,
  async read(offset, length) {
    try {
      return await device.read(offset, length);
    } catch (error) {
      throw error instanceof IoError ? new FormatError('flash', 'block', offset, 'I/O error') : error;
    }
  },
});

const rulesOf = ({ slots, bootloaderLocked }: Model): BootRules => ({
  slots,
  locked: bootloaderLocked,
  ...(slots && { makerKey: makerSigner('tidewell').publicKey }),
  gunzip,
});

function gunzip(bytes: Uint8Array): Uint8Array {
  try {
    return gunzipSync(bytes, { maxOutputLength: maxUnpackedBytes });
  } catch (error) {
    throw new FormatError('gzip', 'data', 0, (error as Error).message);
  }
}

/** Walks the boot chain into the system, as the phone does: bootloader, kernel, init, system, user data. */
export const startSystem = (flash: Flash, model: Model): Promise<StartOutcome> =>
  outcome(async () => {
    const walked = await walkToSystem(bootFlash(flash), rulesOf(model));
    const root = await systemMount(flash, walked.systemName);
    const userData = await userDataDevice(flash, model);
    await openFs(userData, 'userdata');
    return {
      properties: { ...defaultsOf(walked.kernel, 'boot'), ...walked.properties },
      hasSu: (await walked.fs.find('/xbin/su'))?.type === 'file',
      hasImei: await hasImei(flash, model),
      slot: walked.slot,
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
    const rules = rulesOf(model);
    const slot = await startingSlot(bootFlash(flash), rules);
    const name = slot ? 'boot' : 'recovery';
    const kernel = await loadKernel(bootFlash(flash), rules, name, slot ? `_${slot}` : '');
    const cache = flash.partition('cache');
    return {
      properties: defaultsOf(kernel, name),
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
 * @throws BootFailure when its key does not open with what this phone knows
 */
export async function userDataDevice(flash: Flash, model: Model): Promise<Device> {
  const device = flash.partition('userdata');
  if (!device) throw new BootFailure('init', 'there is no userdata partition');
  if (!model.encrypted) return device;
  const metadata = flash.partition('metadata');
  if (!metadata) throw new BootFailure('init', 'there is no metadata partition');
  const fs = await openFs(metadata, 'metadata');
  const file = await fs.find(keyPath);
  const key = file && unwrapKey(await fs.read(file), await flash.secret());
  if (!key) throw new BootFailure('init', 'the key of userdata does not open on this phone');
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

/** What the ramdisk of a simulated phone must tell, or else nothing of it runs. */
function defaultsOf({ properties }: LoadedKernel, name: string): Readonly<Record<string, string>> {
  if (!properties) throw new BootFailure('bootloader', `${name} does not say what it is`);
  return properties;
}

async function systemMount(flash: Flash, name: string): Promise<FoundMount> {
  const own = flash.partition(name);
  const source = own ?? (await logicalDevice(flash.partition('super')!, name))!;
  return { partition: name, at: '/system', writable: false, source, isMapped: own === undefined };
}

async function outcome(
  walk: () => Promise<Omit<StartOutcome & { starts: true }, 'starts'>>,
): Promise<StartOutcome> {
  try {
    return { starts: true, ...(await walk()) };
  } catch (error) {
    if (error instanceof BootFailure) {
      return { starts: false, stage: error.stage, reason: error.message };
    }
    if (error instanceof FormatError || error instanceof IoError) {
      return { starts: false, stage: 'init', reason: error.message };
    }
    throw error;
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
