import { mkdir, open, rename, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { ExportRequest } from '@keen-larder/contract/requests/sets.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { packingSuffix, type ExportOptions } from '@keen-larder/core/larder/export-plan.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import {
  besideFiles,
  digested,
  exportTar,
  planExport,
  type ExportedFile,
  type WrittenFile,
} from '../../larder/export.ts';
import type { Larder } from '../../larder/larder.ts';
import type { RunContext } from '../engine/run-context.ts';
import { Problem } from '../../failures.ts';

/** Writes a set, or some images of it, into a new folder of the bench computer. */
export async function startExporting(
  { larder, engine, exportFolder }: RunContext,
  setId: string,
  request: ExportRequest,
): Promise<RunView> {
  const set = larder.detail(setId);
  const { options, picked } = exportOptions(set, request);
  const folder = await newFolder(exportFolder, fileNameOf(set.label));
  const files = filesOf(larder, set, options, picked);
  return engine.start(
    {
      kind: 'exporting',
      title: `Export ${set.label}`,
      setId,
      steps: files.map(({ name, partition, bytes }) => ({
        text: `Write ${name}`,
        bytes,
        ...(partition && { partition }),
      })),
    },
    async (run) => {
      const written: WrittenFile[] = [];
      try {
        for (const [i, file] of files.entries()) {
          await run.step(i, async (passed) => {
            written.push(await writeFileOf(file, folder, passed, run.signal));
            return `SHA-256 ${written.at(-1)!.sha256.toString('hex')}`;
          });
        }
        await writeBeside(set, picked, written, folder);
      } catch (error) {
        await rm(folder, { recursive: true });
        throw error;
      }
      const bytes = files.reduce((sum, file) => sum + file.bytes, 0);
      return `${files.length} ${files.length === 1 ? 'file' : 'files'} from ${sizeText(bytes)}, with SHA256SUMS, MD5SUMS and CONTENTS.txt in ${folder}`;
    },
  );
}

/** @throws Problem 400 when a picked partition is not in the set */
export function exportOptions(
  set: SetDetail,
  { form, packing, splitMebibytes, picked }: ExportRequest,
): { options: ExportOptions; picked: readonly string[] } {
  const known = set.images.map(({ partition }) => partition);
  const unknown = picked?.find((name) => !known.includes(name));
  if (unknown !== undefined) throw new Problem(400, `This set has no image of ${unknown}.`);
  return {
    options: { form, packing, ...(splitMebibytes && { splitBytes: splitMebibytes * 2 ** 20 }) },
    picked: picked ?? known,
  };
}

/** A file that an export writes; a tar archive is of no single partition. */
export type FileToWrite = Pick<ExportedFile, 'name' | 'bytes' | 'open'> & { readonly partition?: string };

export function filesOf(
  larder: Larder,
  set: SetDetail,
  options: ExportOptions,
  picked: readonly string[],
): FileToWrite[] {
  const files = planExport(larder, set, options, picked);
  if (options.form !== 'tar') return files;
  return [
    {
      name: `${fileNameOf(set.label)}.tar${packingSuffix[options.packing]}`,
      bytes: files.reduce((sum, { bytes }) => sum + bytes, 0),
      open: (passed) => exportTar(larder, set, options, picked, passed),
    },
  ];
}

/** Writes one file, which has another name until it is whole, and digests it on the way. */
export async function writeFileOf(
  { name, partition, open: begin }: FileToWrite,
  folder: string,
  passed: (bytes: number) => void = () => undefined,
  signal?: AbortSignal,
): Promise<WrittenFile> {
  const path = join(folder, name);
  const file = await open(`${path}.part`, 'wx');
  const { bytes, digests } = digested(begin(passed));
  try {
    for await (const part of bytes) {
      signal?.throwIfAborted();
      await file.write(part);
    }
    await file.sync();
  } finally {
    await file.close();
  }
  await rename(`${path}.part`, path);
  return { name, ...(partition && { partition }), ...digests() };
}

export async function writeBeside(
  set: SetDetail,
  picked: readonly string[],
  written: readonly WrittenFile[],
  folder: string,
): Promise<void> {
  for (const [name, text] of Object.entries(besideFiles(set, picked, written))) {
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
