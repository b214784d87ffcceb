import { open } from 'node:fs/promises';
import { Flash } from '@keen-larder/standin/flash/flash.ts';

/** Copies a partition of a simulated phone's flash into a plain file, for the reference tools. */
export async function exportPartition(flashPath: string, name: string, path: string): Promise<void> {
  const flash = await Flash.open(flashPath);
  const file = await open(path, 'w');
  try {
    const partition = flash.partition(name)!;
    for (let at = 0; at < partition.bytes; at += 1 << 20) {
      await file.write(await partition.read(at, Math.min(1 << 20, partition.bytes - at)));
    }
  } finally {
    await file.close();
    await flash.close();
  }
}
