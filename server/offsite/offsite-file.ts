import { existsSync, readFileSync, renameSync, rmSync } from 'node:fs';
import { chmod, open, rename } from 'node:fs/promises';
import { join } from 'node:path';
import { offsiteCopies, type OffsiteCopy } from '@keen-larder/contract/larder/offsite.ts';
import type { Seal } from '../sealing/seal-key.ts';
import { isFolder, type OffsitePlace } from './place.ts';

/** What a bench knows of one of its copies; it lies in the home folder, for its owner alone, and in no copy of the catalogue. */
export interface OffsiteFile {
  readonly place: OffsitePlace;
  readonly bench: { readonly id: string; readonly name: string };
  readonly seal: Seal;
  readonly bytesPerSecond?: number;
  readonly hours?: readonly [number, number];
}

const names = { bucket: 'offsite.json', disk: 'second-disk.json' } as const;
const pathIn = (home: string, copy: OffsiteCopy) => join(home, names[copy]);

export function readOffsiteFile(home: string, copy: OffsiteCopy): OffsiteFile | undefined {
  const path = pathIn(home, copy);
  return existsSync(path) ? (JSON.parse(readFileSync(path, 'utf8')) as OffsiteFile) : undefined;
}

/** Which copies a bench has, by what lies in its home folder. */
export function copiesIn(home: string): OffsiteCopy[] {
  const found = offsiteCopies.flatMap((copy) => readOffsiteFile(home, copy)?.place ?? []);
  return found.map((place) => (isFolder(place) ? 'disk' : 'bucket'));
}

/** There was one copy at most once, in a bucket or on a disk. @returns whether it was on a disk: what is remembered of it is of that */
export function tellDiskFromBucket(home: string): boolean {
  const found = readOffsiteFile(home, 'bucket');
  if (!found || !isFolder(found.place)) return false;
  renameSync(pathIn(home, 'bucket'), pathIn(home, 'disk'));
  return true;
}

export async function writeOffsiteFile(home: string, copy: OffsiteCopy, content: OffsiteFile): Promise<void> {
  const path = pathIn(home, copy);
  const file = await open(`${path}.part`, 'w', 0o600);
  try {
    // One that was there before keeps its own.
    await chmod(`${path}.part`, 0o600);
    await file.writeFile(`${JSON.stringify(content, null, 2)}\n`);
    await file.sync();
  } finally {
    await file.close();
  }
  await rename(`${path}.part`, path);
}

export const removeOffsiteFile = (home: string, copy: OffsiteCopy): void =>
  rmSync(pathIn(home, copy), { force: true });
