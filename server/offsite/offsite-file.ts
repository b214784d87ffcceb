import { existsSync, readFileSync, rmSync } from 'node:fs';
import { chmod, open, rename } from 'node:fs/promises';
import { join } from 'node:path';
import type { Seal } from '../sealing/seal-key.ts';
import type { OffsitePlace } from './place.ts';

/** What a bench knows of its bucket; it lies in the home folder, for its owner alone, and in no copy of the catalogue. */
export interface OffsiteFile {
  readonly place: OffsitePlace;
  readonly bench: { readonly id: string; readonly name: string };
  readonly seal: Seal;
  readonly bytesPerSecond?: number;
  readonly hours?: readonly [number, number];
}

const pathIn = (home: string) => join(home, 'offsite.json');

export function readOffsiteFile(home: string): OffsiteFile | undefined {
  const path = pathIn(home);
  return existsSync(path) ? (JSON.parse(readFileSync(path, 'utf8')) as OffsiteFile) : undefined;
}

export async function writeOffsiteFile(home: string, content: OffsiteFile): Promise<void> {
  const path = pathIn(home);
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

export const removeOffsiteFile = (home: string): void => rmSync(pathIn(home), { force: true });
