import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, readdir, rm, statfs } from 'node:fs/promises';
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
import {
  makeFolder,
  partialSuffix,
  renameDurably,
  syncFolder,
  withFile,
  writeDurably,
} from '../../disk/durable.ts';
import { writeWhole } from '../../disk/whole-writes.ts';
import { Problem, RunFailure } from '../../failures.ts';

/** Writes a set, or some images of it, into a new folder of the bench computer. */
export function startExporting(
  { larder, engine, exportFolder }: RunContext,
  setId: string,
  request: ExportRequest,
): RunView {
  const set = larder.detail(setId);
  const { options, picked } = exportOptions(set, request);
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
      await requireRoom(exportFolder, files);
      const { partial, folder } = await newFolder(exportFolder, fileNameOf(set.label));
      try {
        for (const [i, file] of files.entries()) {
          await run.step(i, async (passed) => {
            written.push(await writeFileOf(file, partial, passed, run.signal));
            return `SHA-256 ${written.at(-1)!.sha256.toString('hex')}, read back`;
          });
        }
        await writeBeside(set, picked, written, partial);
        await syncFolder(partial);
        await renameDurably(partial, folder);
      } catch (error) {
        await rm(partial, { recursive: true, force: true });
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
  const partial = `${path}${partialSuffix}`;
  const { bytes, digests } = digested(begin(passed));
  try {
    await withFile(partial, 'wx', async (file) => {
      for await (const part of bytes) {
        signal?.throwIfAborted();
        await writeWhole(file, part);
      }
      await file.sync();
    });
    const written = digests();
    const found = createHash('sha256');
    for await (const part of createReadStream(partial, { signal, highWaterMark: 1 << 20 }))
      found.update(part as Buffer);
    if (!found.digest().equals(written.sha256))
      throw new RunFailure(`${path} does not read back as it was written. Export to another disk.`);
    await renameDurably(partial, path);
    return { name, ...(partition && { partition }), ...written };
  } catch (error) {
    await rm(partial, { force: true });
    throw error;
  }
}

export async function writeBeside(
  set: SetDetail,
  picked: readonly string[],
  written: readonly WrittenFile[],
  folder: string,
): Promise<void> {
  for (const [name, text] of Object.entries(besideFiles(set, picked, written))) {
    await writeDurably(join(folder, name), text);
  }
}

/**
 * Makes a folder for an export, which has another name until it is whole; a number stands behind its name where there is one
 * already.
 */
async function newFolder(parent: string, name: string): Promise<{ partial: string; folder: string }> {
  await makeFolder(parent);
  const taken = new Set(await readdir(parent));
  for (let n = 1; n < 1000; n++) {
    const own = n === 1 ? name : `${name} (${n})`;
    const unfinished = `${own} (unfinished)${partialSuffix}`;
    if (taken.has(own) || taken.has(unfinished)) continue;
    const partial = join(parent, unfinished);
    await mkdir(partial);
    return { partial, folder: join(parent, own) };
  }
  throw new Problem(409, `${parent} has too many exports of this name. Move some away.`);
}

/** @throws Problem 507 where the files do not fit; packed ones are counted as they are unpacked */
async function requireRoom(folder: string, files: readonly FileToWrite[]): Promise<void> {
  await makeFolder(folder);
  const { bavail, bsize } = await statfs(folder);
  const bytes = files.reduce((sum, file) => sum + file.bytes, 0);
  if (bytes <= bavail * bsize) return;
  throw new Problem(
    507,
    `The export takes up to ${sizeText(bytes)}, and ${folder} has room for ${sizeText(bavail * bsize)}. Free some space, or export fewer images at once.`,
  );
}
