import { FormatError } from '../bytes/format-error.ts';
import { gunzip } from '../bytes/inflate/inflate.ts';
import type { ByteSource } from '../bytes/source.ts';
import { readUtf8 } from '../bytes/text.ts';
import { readBootImage } from '../formats/boot-image/boot-image.ts';
import { readRamdisk } from '../formats/boot-image/ramdisk.ts';
import { openFileSystem } from '../formats/file-system/open.ts';
import type { FileSystem } from '../formats/file-system/reading.ts';
import { logicalSource, readLogicalPartitions } from '../formats/logical-partitions/logical-partitions.ts';
import { parseProperties } from '../phone/properties.ts';
import { BootFailure } from './failure.ts';
import { once } from './once.ts';
import { quernProgram } from './early-loader.ts';
import { bootableSlot, type Slot } from './slots.ts';
import { chainFault } from './verify-chain.ts';
import type { BootFlash, BootRules } from './boot-flash.ts';

export interface LoadedKernel {
  /** From the header; undefined where it says nothing. */
  readonly os: { readonly version: string; readonly patchLevel: string } | undefined;
  /** Default properties of the ramdisk, where it has any that can be read. */
  readonly properties: Readonly<Record<string, string>> | undefined;
}

export interface WalkedSystem {
  readonly slot: Slot | undefined;
  readonly kernel: LoadedKernel;
  /** Name of the partition, or of the logical one. */
  readonly systemName: string;
  readonly source: ByteSource;
  readonly fs: FileSystem;
  /** Of build.prop. */
  readonly properties: Readonly<Record<string, string>>;
  /** What an unlocked bootloader passes over. */
  readonly chainFault: string | undefined;
}

/** Starts of kernels and ramdisks that are not gzip: as far as they are not read, they are not judged (kernel.org, Documentation). */
const otherStarts: readonly (readonly [number, readonly number[]])[] = [
  [56, [0x41, 0x52, 0x4d, 0x64]], // arm64 Image, "ARM\x64"
  [36, [0x18, 0x28, 0x6f, 0x01]], // arm zImage
  [0, [0x02, 0x21, 0x4c, 0x18]], // lz4, legacy frame
  [0, [0x04, 0x22, 0x4d, 0x18]], // lz4
  [0, [0xfd, 0x37, 0x7a, 0x58, 0x5a]], // xz
  [0, [0x28, 0xb5, 0x2f, 0xfd]], // zstd
];

/**
 * The first program of the flash, and that it starts one of its own kind.
 * @throws BootFailure when it does not: then nothing answers but the processor's own loader
 */
export async function runEarlyLoader(flash: BootFlash): Promise<void> {
  const early = await flash.earlyLoader();
  if (!early) return;
  const first = await early.read(0, 4096);
  if (!first.some((byte) => byte !== 0)) throw new BootFailure('early-loader', 'the early loader is empty');
  const next = await flash.partition('lk');
  const [own, other] = [await quernProgram(early), next && (await quernProgram(next))];
  if (own && other && own.androidVersion !== other.androidVersion) {
    throw new BootFailure(
      'early-loader',
      `the early loader is of Android ${own.androidVersion}, lk of ${other.androidVersion}`,
    );
  }
}

/** Which slot starts. @throws BootFailure when none may */
export async function startingSlot(flash: BootFlash, { slots }: BootRules): Promise<Slot | undefined> {
  if (!slots) return undefined;
  const misc = await flash.partition('misc');
  const slot = misc ? await bootableSlot(misc) : 'a';
  if (!slot) throw new BootFailure('bootloader', 'both slots are marked as not bootable');
  return slot;
}

/**
 * Walks the boot chain up to the system, as the phone does: slot, verified boot, kernel, system.
 * @throws BootFailure where it would end
 */
export async function walkToSystem(flash: BootFlash, rules: BootRules): Promise<WalkedSystem> {
  await runEarlyLoader(flash);
  const slot = await startingSlot(flash, rules);
  const suffix = slot ? `_${slot}` : '';
  const fault = await verifiedBoot(flash, suffix, rules);
  const kernel = await loadKernel(flash, 'boot', suffix);
  const { systemName, source, fs, properties } = await openSystem(flash, suffix);
  const release = properties['ro.build.version.release'] ?? '?';
  const patch = (properties['ro.build.version.security_patch'] ?? '?').slice(0, 7);
  const { os } = kernel;
  if (os && (os.version.split('.')[0] !== release.split('.')[0] || os.patchLevel !== patch)) {
    throw new BootFailure(
      'init',
      `boot is of Android ${os.version} (${os.patchLevel}), system of ${release} (${patch})`,
    );
  }
  await requireFramework(fs, source);
  return { slot, kernel, systemName, source, fs, properties, chainFault: fault };
}

/** @throws BootFailure when what every app runs on is missing or was not written entirely */
const requireFramework = (fs: FileSystem, source: ByteSource): Promise<void> =>
  once(source, 'framework', async () => {
    const framework =
      (await fs.find('/framework/framework.jar')) ?? (await fs.find('/system/framework/framework.jar'));
    if (framework?.type !== 'file') throw new BootFailure('init', 'system has no framework');
    // Archives of classes never begin with zeros.
    let isFirst = true;
    for await (const part of fs.content(framework)) {
      if (isFirst && !part.subarray(0, 4096).some((byte) => byte !== 0))
        throw new BootFailure('init', 'the framework of system is empty');
      isFirst = false;
    }
  });

/**
 * What an unlocked bootloader passes over; undefined when all verifies, or nothing asks for it.
 * @throws BootFailure when the phone is locked and something does not verify
 */
export async function verifiedBoot(
  flash: BootFlash,
  suffix: string,
  rules: BootRules,
): Promise<string | undefined> {
  if (!(await flash.partition(`vbmeta${suffix}`))) return undefined;
  const fault = await chainFault(flash, suffix, rules);
  if (fault && rules.locked) throw new BootFailure('bootloader', fault);
  return fault;
}

/** The system and what it says of itself. @throws BootFailure when it cannot be mounted or says nothing */
export async function openSystem(
  flash: BootFlash,
  suffix: string,
): Promise<Pick<WalkedSystem, 'systemName' | 'source' | 'fs' | 'properties'>> {
  const { name: systemName, source } = await systemOf(flash, suffix);
  return once(source, 'system', () => readSystem(systemName, source));
}

async function readSystem(systemName: string, source: ByteSource) {
  const fs = await openFs(source, systemName);
  const text = (await fs.text('/build.prop')) ?? (await fs.text('/system/build.prop'));
  if (text === undefined) throw new BootFailure('init', 'system has no build.prop');
  const properties = parseProperties(text);
  if (Object.keys(properties).length === 0)
    throw new BootFailure('init', 'build.prop of system says nothing');
  return { systemName, source, fs, properties };
}

/**
 * The bootloader's part: header, kernel and ramdisk must be whole as far as gzip's own CRC tells.
 * @throws BootFailure
 */
export async function loadKernel(
  flash: BootFlash,
  name: 'boot' | 'recovery',
  suffix: string,
): Promise<LoadedKernel> {
  try {
    const { image, device } = await bootImageOf(flash, `${name}${suffix}`);
    await once(device, `${name} kernel`, async () => {
      const kernel = await partOf(device, image, 'kernel', name);
      if (!isOtherwisePacked(kernel)) await gunzip(kernel);
    });
    // With two slots the ramdisk may have a partition of its own.
    const own = await flash.partition(`init_boot${suffix}`);
    const init = own ? await bootImageOf(flash, `init_boot${suffix}`) : { image, device };
    const properties = await once(init.device, `${name} ramdisk`, async () => {
      const packed = await partOf(init.device, init.image, 'ramdisk', name);
      const ramdisk = await readRamdisk(packed);
      if (!ramdisk && !isOtherwisePacked(packed))
        throw new FormatError('gzip', 'data', 0, 'its mark is missing');
      const defaults = ramdisk?.entries.find(
        ({ path }) => path === 'prop.default' || path === 'default.prop',
      );
      return defaults && parseProperties(readUtf8(defaults.content));
    });
    return { os: image.os, properties };
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    throw new BootFailure('bootloader', `${name} cannot be loaded: ${error.message}`);
  }
}

async function bootImageOf(flash: BootFlash, name: string) {
  const device = await flash.partition(name);
  if (!device) throw new BootFailure('bootloader', `there is no ${name} partition`);
  return { device, image: await readBootImage(device) };
}

async function partOf(
  device: ByteSource,
  { parts }: Awaited<ReturnType<typeof readBootImage>>,
  wanted: 'kernel' | 'ramdisk',
  name: string,
): Promise<Uint8Array> {
  const found = parts.find((each) => each.name === wanted);
  if (!found) throw new BootFailure('bootloader', `${name} has no ${wanted}`);
  return device.read(found.offset, found.bytes);
}

const isOtherwisePacked = (bytes: Uint8Array): boolean =>
  otherStarts.some(([at, mark]) => mark.every((byte, i) => bytes[at + i] === byte));

async function systemOf(
  flash: BootFlash,
  suffix: string,
): Promise<{ readonly name: string; readonly source: ByteSource }> {
  const name = `system${suffix}`;
  const own = await flash.partition(name);
  if (own) return { name, source: own };
  const whole = await flash.partition('super');
  const found =
    whole && (await readLogicalPartitions(whole)).partitions.find((partition) => partition.name === name);
  if (!found) throw new BootFailure('init', `there is no ${name} partition`);
  return {
    name,
    source: await once(whole, `logical ${name}`, () => Promise.resolve(logicalSource(found, [whole]))),
  };
}

/** @throws BootFailure when it cannot be mounted */
export async function openFs(source: ByteSource, name: string): Promise<FileSystem> {
  try {
    return await openFileSystem(source);
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    throw new BootFailure(
      'init',
      `the ${name} partition is damaged, so Android cannot start (${error.message})`,
    );
  }
}
