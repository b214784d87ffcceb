import { createHash } from 'node:crypto';
import { useHashesOf } from '@keen-larder/core/bytes/hashing.ts';
import { randomUUID } from 'node:crypto';
import { open, rename, truncate, writeFile } from 'node:fs/promises';
import { quernProgramHeader } from '@keen-larder/core/boot/boot.ts';
import { firstUsableLba, writeGpt } from '@keen-larder/core/formats/gpt/gpt.ts';
import {
  layOutLogical,
  logicalSource,
  readLogicalPartitions,
  roomFor,
} from '@keen-larder/core/formats/logical-partitions/logical-partitions.ts';
import { makeBootImage, recoveryFor, stockBoot } from '../firmware/boot-images.ts';
import { firmwareBuilds, type FirmwareBuild, type SystemBuild } from '../firmware/builds.ts';
import { keyPath } from '../firmware/user-contents.ts';
import { filler } from '../firmware/filler.ts';
import { pourTemplate } from '../firmware/pour.ts';
import { makeSigningMetadata, makeVerifiedChain } from '../firmware/verified-chain.ts';
import type { Model, PartitionPlan } from '../models.ts';
import { CipherDevice, newKey } from './cipher.ts';
import { overwriteFile } from './file-writes.ts';
import { earlyLoaderOf, Flash, secretOf, type Device } from './flash.ts';

useHashesOf((name) => createHash(name));

/** Partitions start on whole mebibytes, as usual since flash has large erase blocks. */
const alignBytes = 1 << 20;
/** "Linux filesystem data" (UEFI's registry of partition types). */
const linuxData = '0FC63DAF-8483-4772-8E79-3D69D8477DE4';
const recoverySeed = 321;

/** Makes a new phone's flash as it leaves the works: GPT, firmware, empty but plausible user data. */
export async function composeFlash(path: string, model: Model, system: SystemBuild): Promise<void> {
  const partial = `${path}.part`;
  await layOut(partial, model);
  const build: FirmwareBuild = firmwareBuilds[system];
  const chain = model.partitions.some(({ holds }) => holds && 'chain' in holds)
    ? makeVerifiedChain(build)
    : undefined;
  const recoveryBuild = model.recoveryGivesRoot ? undefined : `${build.id}-recovery`;
  const made = new Map<'boot' | 'recovery', Uint8Array>();
  const bootImage = (kind: 'boot' | 'recovery'): Uint8Array => {
    const image =
      made.get(kind) ??
      makeBootImage(
        kind === 'boot' ? stockBoot(build) : recoveryFor(model.product, recoverySeed, recoveryBuild),
      );
    made.set(kind, image);
    return image;
  };
  const flash = await Flash.open(partial, model.sectorBytes);
  await flash.renewSecret();
  for (const { name, holds } of model.partitions) {
    const device = flash.partition(name)!;
    if (!holds) continue;
    if ('template' in holds) {
      await pourTemplate(holds.template === 'system' ? system : holds.template, device, true);
    } else if ('encrypted' in holds) {
      await pourEncrypted(flash, holds.encrypted, device);
    } else if ('boot' in holds) {
      await device.write(0, bootImage(holds.boot));
    } else if ('signs' in holds) {
      const images = Object.fromEntries(holds.signs.map((each) => [each, bootImage(each)]));
      await device.write(0, makeSigningMetadata(build, images, model.makerKey!));
    } else if ('chain' in holds) {
      await device.write(0, chain![holds.chain]);
    } else if ('logical' in holds) {
      await pourLogical(holds.logical, device, system);
    } else {
      await device.write(0, programOf(holds, build));
    }
  }
  await flash.close();
  await rename(secretOf(partial), secretOf(path));
  const { earlyLoader } = model;
  if (earlyLoader) {
    const region = Buffer.alloc(earlyLoader.bytes);
    region.set(programOf({ ...earlyLoader, says: true }, build));
    await writeFile(earlyLoaderOf(path), region);
  }
  await rename(partial, path);
}

/** A program of the bootloader's; one that says what it belongs to begins with that. */
export function programOf(
  { program, seed, says }: { readonly program: number; readonly seed: number; readonly says?: true },
  { release, id }: Pick<FirmwareBuild, 'release' | 'id'>,
): Uint8Array {
  const bytes = filler('program', seed, program);
  if (says) bytes.set(quernProgramHeader({ androidVersion: Number(release), build: id }));
  return bytes;
}

async function layOut(path: string, { partitions: plan, sectorBytes }: Model): Promise<void> {
  let at = Math.ceil((firstUsableLba(sectorBytes) * sectorBytes) / alignBytes) * alignBytes;
  const partitions = plan.map(({ name, kibibytes }) => {
    const start = at;
    at = Math.ceil((at + kibibytes * 1024) / alignBytes) * alignBytes;
    return {
      name,
      typeGuid: linuxData,
      uniqueGuid: randomUUID(),
      firstLba: start / sectorBytes,
      lastLba: (start + kibibytes * 1024) / sectorBytes - 1,
    };
  });
  const diskBytes = at + alignBytes;
  const file = await open(path, 'w');
  for (const piece of writeGpt({ sectorBytes, diskBytes, diskGuid: randomUUID(), partitions })) {
    await file.write(piece.bytes, 0, piece.bytes.length, piece.offset);
  }
  await file.close();
  await truncate(path, diskBytes);
}

async function pourLogical(
  plan: Extract<PartitionPlan['holds'], { logical: unknown }>['logical'],
  device: Device,
  system: SystemBuild,
): Promise<void> {
  const group = 'tideos_dynamic_partitions';
  const { pieces } = layOutLogical({
    superBytes: device.bytes,
    groups: [{ name: group, maximumBytes: roomFor(device.bytes) }],
    partitions: plan.map(({ name, mebibytes }) => ({ name, group, bytes: mebibytes << 20 })),
  });
  for (const { offset, bytes } of pieces) await device.write(offset, bytes);
  for (const { name, template } of plan) {
    if (template) {
      const inner = await logicalDevice(device, name);
      await pourTemplate(template === 'system' ? system : template, inner!, true);
    }
  }
}

/** A logical partition of `super` as a device; it must lie in one extent, as those made here do. */
export async function logicalDevice(superDevice: Device, name: string): Promise<Device | undefined> {
  const { partitions } = await readLogicalPartitions(superDevice);
  const found = partitions.find((each) => each.name === name);
  const [extent] = found?.extents ?? [];
  if (!found || extent?.target !== 'linear') return undefined;
  const { startBytes } = extent;
  return {
    ...logicalSource(found, [superDevice]),
    read: (offset, length, into) => superDevice.read(startBytes + offset, length, into),
    write: (offset, bytes) => superDevice.write(startBytes + offset, bytes),
  };
}

/** User data in ciphertext; its key goes onto `metadata`, wrapped by the phone's secret. */
async function pourEncrypted(flash: Flash, template: string, device: Device): Promise<void> {
  const { key, wrapped } = newKey(await flash.secret());
  await overwriteFile(flash.partition('metadata')!, keyPath, 0, wrapped);
  await pourTemplate(template, new CipherDevice(device, key));
}

/** A factory reset: user data as new, and with it the secret that opened what was there before. */
export async function resetUserData(flash: Flash, model: Model): Promise<void> {
  const device = flash.partition('userdata')!;
  await flash.renewSecret();
  if (!model.encrypted) return pourTemplate(model.freshUserData, device);
  await pourTemplate('knot5-metadata', flash.partition('metadata')!);
  await pourEncrypted(flash, model.freshUserData, device);
}

/** Replaces system and kernel by another build of the same firmware, user data untouched. */
export async function installBuild(flash: Flash, system: SystemBuild): Promise<void> {
  await pourTemplate(system, flash.partition('system')!);
  await flash.partition('boot')!.write(0, makeBootImage(stockBoot(firmwareBuilds[system])));
}
