import { randomUUID } from 'node:crypto';
import { open, rename, truncate } from 'node:fs/promises';
import { firstUsableLba, writeGpt } from '@keen-larder/core/formats/gpt/index.ts';
import { communityRecovery, makeBootImage, stockBoot } from '../firmware/boot-images.ts';
import { filler } from '../firmware/filler.ts';
import { pourTemplate } from '../firmware/pour.ts';
import { Flash } from './flash.ts';
import type { PartitionPlan } from './partitions.ts';

const sectorBytes = 512;
/** Partitions start on whole mebibytes, as usual since flash has large erase blocks. */
const alignSectors = 2048;
/** "Linux filesystem data" (UEFI's registry of partition types). */
const linuxData = '0FC63DAF-8483-4772-8E79-3D69D8477DE4';

export type SystemBuild = keyof typeof stockBoot;

/** Makes a new phone's flash as it leaves the works: GPT, firmware, empty but plausible user data. */
export async function composeFlash(
  path: string,
  plan: readonly PartitionPlan[],
  system: SystemBuild,
): Promise<void> {
  const partial = `${path}.part`;
  let lba = Math.ceil(firstUsableLba(sectorBytes) / alignSectors) * alignSectors;
  const partitions = plan.map((partition) => {
    const sectors = (partition.kibibytes * 1024) / sectorBytes;
    const firstLba = lba;
    lba = Math.ceil((lba + sectors) / alignSectors) * alignSectors;
    return {
      name: partition.name,
      typeGuid: linuxData,
      uniqueGuid: randomUUID(),
      firstLba,
      lastLba: firstLba + sectors - 1,
    };
  });
  const diskBytes = (lba + alignSectors) * sectorBytes;
  const file = await open(partial, 'w');
  for (const piece of writeGpt({ sectorBytes, diskBytes, diskGuid: randomUUID(), partitions })) {
    await file.write(piece.bytes, 0, piece.bytes.length, piece.offset);
  }
  await file.close();
  await truncate(partial, diskBytes);

  const flash = await Flash.open(partial);
  for (const { name, holds } of plan) {
    const device = flash.partition(name)!;
    if (!holds) continue;
    if ('template' in holds) {
      await pourTemplate(holds.template === 'system' ? system : holds.template, device, true);
    } else if ('boot' in holds) {
      await device.write(0, makeBootImage(holds.boot === 'boot' ? stockBoot[system] : communityRecovery));
    } else {
      await device.write(0, filler('program', holds.seed, holds.program));
    }
  }
  await flash.close();
  await rename(partial, path);
}

/** Replaces system and kernel by another build of the same firmware, user data untouched. */
export async function installBuild(flash: Flash, system: SystemBuild): Promise<void> {
  await pourTemplate(system, flash.partition('system')!);
  await flash.partition('boot')!.write(0, makeBootImage(stockBoot[system]));
}
