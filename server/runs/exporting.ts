import { mkdir, open, rename, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import { rawFileName } from '../larder/checksums.ts';
import type { Larder } from '../larder/larder.ts';
import { Problem } from '../problem.ts';
import { readBlocks } from '../shelf/image-reader.ts';
import type { RunContext } from './context.ts';

/** Writes a set as raw images with SHA256SUMS and MD5SUMS into a new folder of the bench computer. */
export async function startExporting(
  { larder, engine, exportFolder }: RunContext,
  setId: string,
): Promise<RunView> {
  const set = larder.detail(setId);
  const folder = await newFolder(exportFolder, fileNameOf(set.label));
  return engine.start(
    {
      kind: 'exporting',
      title: `Export ${set.label}`,
      setId,
      steps: set.images.map(({ partition, bytes }) => ({
        text: `Write ${rawFileName(partition)}`,
        partition,
        bytes,
      })),
    },
    async (run) => {
      try {
        for (const [i, { partition }] of set.images.entries()) {
          await run.step(i, async (passed) => {
            await exportImage(larder, setId, partition, folder, run.signal, passed);
            return undefined;
          });
        }
        await exportChecksums(larder, setId, folder);
      } catch (error) {
        await rm(folder, { recursive: true });
        throw error;
      }
      return `${set.images.length} raw images, ${sizeText(set.bytes)}, with SHA256SUMS and MD5SUMS in ${folder}`;
    },
  );
}

/** One raw image as a file; until it is whole it has another name. */
export async function exportImage(
  larder: Larder,
  setId: string,
  partition: string,
  folder: string,
  signal?: AbortSignal,
  passed: (bytes: number) => void = () => undefined,
): Promise<void> {
  const path = join(folder, rawFileName(partition));
  const file = await open(`${path}.part`, 'wx');
  try {
    for await (const { memory, bytes, release } of readBlocks(larder.shelf, larder.image(setId, partition))) {
      signal?.throwIfAborted();
      await file.write(Buffer.from(memory, 0, bytes));
      release();
      passed(bytes);
    }
    await file.sync();
  } finally {
    await file.close();
  }
  await rename(`${path}.part`, path);
}

export async function exportChecksums(larder: Larder, setId: string, folder: string): Promise<void> {
  for (const [name, text] of Object.entries(larder.checksumFiles(setId))) {
    await writeFile(join(folder, name), text);
  }
}

/** Makes a folder that was not there, with a number behind its name when needed. */
async function newFolder(parent: string, name: string): Promise<string> {
  await mkdir(parent, { recursive: true });
  for (let n = 1; n < 1000; n++) {
    const folder = join(parent, n === 1 ? name : `${name} (${n})`);
    try {
      await mkdir(folder);
      return folder;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
    }
  }
  throw new Problem(409, `${parent} has too many exports of this name. Move some away.`);
}
