import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import {
  BootFailure,
  loadKernel,
  openFs,
  packagesPath,
  rollbackIndexes,
  runEarlyLoader,
  sdkOfPackages,
  startingSlot,
  userDataFault,
  verifiedBoot,
  walkToSystem,
  type BootFlash,
  type BootRules,
  type LoadedKernel,
  type Slot,
} from '@keen-larder/core/boot/boot.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { parseSuperblock, superblockOffset, withMount } from '@keen-larder/core/formats/ext4/ext4.ts';
import { F2fs, withNextVersion } from '@keen-larder/core/formats/f2fs/f2fs.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { keyPath } from '../firmware/user-contents.ts';
import { CipherDevice, unwrapKey } from '../flash/cipher.ts';
import { makerSigner } from '../firmware/verified-chain.ts';
import { logicalDevice } from '../flash/compose.ts';
import { overwriteFile } from '../flash/file-writes.ts';
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
      /** Null where it is lost. */
      readonly imei: string | null | undefined;
      readonly mounts: readonly FoundMount[];
      readonly slot: Slot | undefined;
    }
  | {
      readonly starts: false;
      /** `init`: the kernel ran and the link was up for a moment. */
      readonly stage: BootFailure['stage'];
      readonly reason: string;
    };

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

export const isLocked = ({ vault }: Flash, model: Model): boolean => vault.locked ?? model.bootloaderLocked;

const rulesOf = (flash: Flash, model: Model): BootRules => ({
  slots: model.slots,
  locked: isLocked(flash, model),
  ...(model.makerKey && { makerKey: makerSigner(model.makerKey).publicKey }),
  rollbackFloor: (location) => BigInt(flash.vault.rollback?.[location] ?? 0),
});

/** Walks the boot chain into the system, as the phone does: bootloader, kernel, init, system, user data. */
export const startSystem = (flash: Flash, model: Model): Promise<StartOutcome> =>
  outcome(async () => {
    const walked = await walkToSystem(bootFlash(flash), rulesOf(flash, model));
    const root = await systemMount(flash, walked.systemName);
    const userData = await userDataDevice(flash, model);
    await acceptUserData(userData, walked.properties);
    if (isLocked(flash, model)) await raiseRollback(flash, walked.slot ? `_${walked.slot}` : '');
    return {
      properties: { ...defaultsOf(walked.kernel, 'boot'), ...walked.properties },
      hasSu: (await walked.fs.find('/xbin/su'))?.type === 'file',
      ...(await imeiOf(flash, model)),
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

/** A system reads no user data of a newer one, and makes that of an older one its own. */
async function acceptUserData(device: Device, properties: Readonly<Record<string, string>>): Promise<void> {
  const packages = await (await openFs(device, 'userdata')).text(packagesPath);
  const dataSdk = sdkOfPackages(packages);
  const fault = userDataFault(dataSdk, properties);
  if (fault) throw new BootFailure('init', fault);
  const sdk = properties['ro.build.version.sdk'];
  if (dataSdk === undefined || !sdk || dataSdk >= Number(sdk)) return;
  const mark = `sdkVersion="${dataSdk}"`;
  const at = Buffer.byteLength(packages!.slice(0, packages!.indexOf(mark)));
  await overwriteFile(
    device,
    packagesPath,
    at,
    Buffer.from(`sdkVersion="${sdk.padStart(String(dataSdk).length)}"`),
  );
}

/** Starts the recovery, which needs nothing but its own image. */
export const startRecovery = (flash: Flash, model: Model): Promise<StartOutcome> =>
  outcome(async () => {
    const rules = rulesOf(flash, model);
    await runEarlyLoader(bootFlash(flash));
    const slot = await startingSlot(bootFlash(flash), rules);
    const name = slot ? 'boot' : 'recovery';
    // With slots, recovery is a part of what starts the system; a recovery of its own is not verified here.
    if (slot) await verifiedBoot(bootFlash(flash), `_${slot}`, rules);
    const kernel = await loadKernel(bootFlash(flash), name, slot ? `_${slot}` : '');
    const cache = flash.partition('cache');
    return {
      properties: defaultsOf(kernel, name),
      hasSu: false,
      ...(await imeiOf(flash, model)),
      slot,
      mounts: cache
        ? [{ partition: 'cache', at: '/cache', writable: true, source: cache, isMapped: false }]
        : [],
    };
  });

/** Why the bootloader itself does not come to run; undefined when it does. */
export async function bootloaderFault(flash: Flash): Promise<string | undefined> {
  try {
    await runEarlyLoader(bootFlash(flash));
    return undefined;
  } catch (error) {
    if (error instanceof BootFailure) return error.message;
    throw error;
  }
}

/** A locked phone that started takes nothing older from then on (AOSP external/avb, README). */
async function raiseRollback(flash: Flash, suffix: string): Promise<void> {
  const before = flash.vault.rollback ?? {};
  const rollback = { ...before };
  for (const [location, index] of await rollbackIndexes(bootFlash(flash), suffix)) {
    if (index > BigInt(rollback[location] ?? 0)) rollback[location] = String(index);
  }
  if (JSON.stringify(rollback) !== JSON.stringify(before)) await flash.changeVault({ rollback });
}

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

/** A mount leaves its time and count in the superblock of user data, or another checkpoint in an f2fs, as the kernel does. */
export async function markMounted(flash: Flash, model: Model): Promise<void> {
  const userData = await userDataDevice(flash, model);
  const fs = await openFileSystem(userData);
  if (fs instanceof F2fs) {
    const { blockBytes } = fs.superblock;
    const { start, packBlocks } = fs.checkpoint;
    for (const block of [start, start + packBlocks - 1]) {
      const head = await userData.read(block * blockBytes, blockBytes);
      await userData.write(block * blockBytes, withNextVersion(head));
    }
    return;
  }
  const superblock = await userData.read(superblockOffset, 1024);
  parseSuperblock(superblock, userData.bytes);
  await userData.write(superblockOffset, withMount(superblock, Math.floor(Date.now() / 1000)));
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

async function imeiOf(
  flash: Flash,
  model: Model,
): Promise<{ readonly hasImei: boolean | undefined; readonly imei: string | null | undefined }> {
  const imei = model.imei && (await readImei(flash, model.imei));
  return { hasImei: model.imei && imei !== null, imei };
}

async function readImei(
  flash: Flash,
  { partition, path }: NonNullable<Model['imei']>,
): Promise<string | null> {
  const device = flash.partition(partition);
  if (!device) return null;
  try {
    const text = (await (await openFileSystem(device)).text(path))?.trim();
    return text && /^\d{15}$/.test(text) ? text : null;
  } catch (error) {
    if (error instanceof FormatError || error instanceof IoError) return null;
    throw error;
  }
}
