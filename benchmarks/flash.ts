import { randomUUID } from 'node:crypto';
import { open, truncate } from 'node:fs/promises';
import { firstUsableLba, writeGpt } from '@keen-larder/core/formats/gpt/gpt.ts';
import { communityRecovery, makeBootImage } from '@keen-larder/standin/firmware/boot-images.ts';
import { Flash } from '@keen-larder/standin/flash/flash.ts';

const linuxData = '0FC63DAF-8483-4772-8E79-3D69D8477DE4';

/** A flash with a recovery and empty partitions beside it. @param sizes names, and mebibytes of each */
export async function makeFlash(path: string, sizes: readonly (readonly [string, number])[]): Promise<void> {
  let lba = Math.ceil(firstUsableLba(512) / 2048) * 2048;
  const partitions = [['recovery', 32] as const, ...sizes].map(([name, size]) => {
    const firstLba = lba;
    lba += size * 2048;
    return { name, typeGuid: linuxData, uniqueGuid: randomUUID(), firstLba, lastLba: lba - 1 };
  });
  const diskBytes = (lba + 2048) * 512;
  const file = await open(path, 'w');
  for (const piece of writeGpt({ sectorBytes: 512, diskBytes, diskGuid: randomUUID(), partitions })) {
    await file.write(piece.bytes, 0, piece.bytes.length, piece.offset);
  }
  await file.close();
  await truncate(path, diskBytes);
  const flash = await Flash.open(path);
  await flash.partition('recovery')!.write(0, makeBootImage(communityRecovery));
  await flash.close();
}
