import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, readdir, rm, stat, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import type { ExportRequest } from '@keen-larder/contract/requests/larder/sets.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { packingSuffix, type ExportOptions } from '@keen-larder/core/larder/export-plan.ts';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import {
  besideFiles,
  digested,
  exportTar,
  planExport,
  type ExportedFile,
  type WrittenFile,
} from '../../larder/export.ts';
import type { Larder } from '../../larder/larder.ts';
import { ageSealed, ageSuffix, requireRecipients, type AgeSeal } from '../../sealing/age.ts';
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

/** Writes a set, or some images of it, into a new folder. @throws Problem */
export async function startExporting(
  { larder, engine, exports }: RunContext,
  setId: string,
  request: ExportRequest,
): Promise<RunView> {
  const set = larder.detail(setId);
  const { options, picked, seal } = exportOptions(set, request);
  const files = filesOf(larder, set, options, picked, seal);
  const exportFolder = await exports.folderOf(request.place);
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
        const beside = await writeBeside(set, picked, written, partial, seal);
        await syncFolder(partial);
        await renameDurably(partial, folder);
        exports.add(set, folder, await sizesOf(folder, [...written, ...beside]), seal !== undefined);
      } catch (error) {
        await rm(partial, { recursive: true, force: true });
        throw error;
      }
      const bytes = files.reduce((sum, file) => sum + file.bytes, 0);
      return `${files.length} ${files.length === 1 ? 'file' : 'files'} from ${sizeText(bytes)}, with SHA256SUMS, MD5SUMS and CONTENTS.txt in ${folder}${seal ? ', sealed as age files' : ''}`;
    },
  );
}

/** @throws Problem 400 when a picked partition is not in the set, or who is to open it makes no sense */
export function exportOptions(
  set: SetDetail,
  { form, packing, splitMebibytes, picked, passphrase, recipients }: ExportRequest,
): { options: ExportOptions; picked: readonly string[]; seal: AgeSeal | undefined } {
  const known = set.images.map(({ partition }) => partition);
  const unknown = picked?.find((name) => !known.includes(name));
  if (unknown !== undefined) throw new Problem(400, `This set has no image of ${unknown}.`);
  return {
    options: { form, packing, ...(splitMebibytes && { splitBytes: splitMebibytes * 2 ** 20 }) },
    picked: picked ?? known,
    seal: sealOf(passphrase, recipients),
  };
}

function sealOf(
  passphrase: string | undefined,
  recipients: readonly string[] | undefined,
): AgeSeal | undefined {
  if (passphrase !== undefined && recipients)
    throw new Problem(
      400,
      'An age file is opened by a passphrase or by recipients, not by both. Leave one out.',
    );
  if (passphrase !== undefined) return { passphrase };
  if (!recipients) return undefined;
  try {
    requireRecipients(recipients);
  } catch (error) {
    throw new Problem(400, `A recipient is not as it was given to you: ${(error as Error).message}.`);
  }
  return { recipients };
}

/** A file that an export writes; a tar archive is of no single partition. */
export type FileToWrite = Pick<ExportedFile, 'name' | 'bytes' | 'open'> & { readonly partition?: string };

export function filesOf(
  larder: Larder,
  set: SetDetail,
  options: ExportOptions,
  picked: readonly string[],
  seal?: AgeSeal,
): FileToWrite[] {
  const files = planExport(larder, set, options, picked, seal);
  if (options.form !== 'tar') return files;
  return [
    {
      name: `${fileNameOf(set.label)}.tar${packingSuffix[options.packing]}${seal ? ageSuffix : ''}`,
      bytes: files.reduce((sum, { bytes }) => sum + bytes, 0),
      open: (passed) => {
        const tar = exportTar(larder, set, options, picked, passed);
        return seal ? ageSealed(seal, tar) : tar;
      },
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
  seal?: AgeSeal,
): Promise<Pick<WrittenFile, 'name' | 'sha256'>[]> {
  const beside: Pick<WrittenFile, 'name' | 'sha256'>[] = [];
  for (const [name, text] of Object.entries(besideFiles(set, picked, written))) {
    const plain = Buffer.from(text);
    // The sums are of what lies there, and say nothing of what is in it.
    const isOpen = !seal || name.endsWith('SUMS');
    const bytes = isOpen ? plain : await allOf(ageSealed(seal, onePiece(plain)));
    const file = { name: isOpen ? name : `${name}${ageSuffix}`, sha256: sha256Of(bytes) };
    await writeDurably(join(folder, file.name), bytes);
    beside.push(file);
  }
  return beside;
}

const sha256Of = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest();

const sizesOf = (folder: string, files: readonly Pick<WrittenFile, 'name' | 'sha256'>[]) =>
  Promise.all(
    files.map(async ({ name, sha256 }) => {
      const { size } = await stat(join(folder, name));
      return { name, bytes: size, sha256: sha256.toString('hex') };
    }),
  );

/** Reads the files of an export again. @throws Problem 404 */
export function startVerifyingExport({ engine, exports }: RunContext, id: string): RunView {
  const { path, label, files } = exports.one(id);
  return engine.start(
    {
      kind: 'verifying',
      title: `Verify the export of ${label}`,
      steps: files.map(({ name, bytes }) => ({ text: `Verify ${name}`, bytes })),
    },
    async (run) => {
      const wrong: string[] = [];
      for (const [i, { name, sha256 }] of files.entries()) {
        await run.step(i, async (passed) => {
          const found = await digestOf(join(path, name), passed, run.signal);
          if (found === sha256) return 'as it was written';
          wrong.push(name);
          run.log(
            found === undefined ? `${name} is not there.` : `${name} is not as it was written.`,
            'error',
          );
          return found === undefined ? 'not there' : 'changed';
        });
      }
      if (wrong.length > 0)
        throw new RunFailure(
          `${listText(wrong)} in ${path} ${wrong.length === 1 ? 'is' : 'are'} not as written. Export the set again, to another disk.`,
        );
      return `All ${files.length} files in ${path} are as they were written.`;
    },
  );
}

/** In lower-case hexadecimal; undefined where the file is not there, or cannot be read. */
async function digestOf(
  path: string,
  passed: (bytes: number) => void,
  signal: AbortSignal,
): Promise<string | undefined> {
  const found = createHash('sha256');
  try {
    for await (const part of createReadStream(path, { signal, highWaterMark: 1 << 20 })) {
      found.update(part as Buffer);
      passed((part as Buffer).length);
    }
  } catch {
    signal.throwIfAborted();
    return undefined;
  }
  return found.digest('hex');
}

async function allOf(bytes: AsyncIterable<Uint8Array>): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const part of bytes) parts.push(part);
  return Buffer.concat(parts);
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
