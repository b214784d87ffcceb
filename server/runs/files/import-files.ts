import { createHash } from 'node:crypto';
import type { NewPhone } from '@keen-larder/contract/requests/phones.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { PlannedImport } from '@keen-larder/core/larder/import-plan.ts';
import { ownerOfFirmware, type Model } from '@keen-larder/core/larder/firmware.ts';
import type { NamedPhone } from '@keen-larder/core/phone/facts.ts';
import type { Batch } from '../../imports/batch.ts';
import type { OpenedFile } from '../../imports/opening/opened-file.ts';
import type { Larder } from '../../larder/larder.ts';
import { Problem } from '../../failures.ts';
import type { Run } from '../engine/live-run.ts';

/** What unpacking, digesting and storing are expected to take in a second, before there is a past. */
export const usualBytesPerSecond = 150 * 2 ** 20;

/** Whether a checksum file speaks of a file, or of the archive that it lies in. */
export function hasChecksum({ files, parts, checksums }: Batch, path: string): boolean {
  const outer = [...files, ...parts].find((file) => file.path === path)?.outer?.path;
  return checksums.has(path) || (outer !== undefined && checksums.has(outer));
}

/** Whether anything tells how an image should be: its list, checksums, or an update, which has the digests of its partitions in itself. */
export const isVouchedFor = (batch: Batch, { listed, layers, paths }: PlannedImport): boolean =>
  listed !== undefined || layers[0] === 'update payload' || paths.every((path) => hasChecksum(batch, path));

export const touchedText = (paths: readonly string[]) =>
  `${listText(paths)} changed while ${paths.length > 1 ? 'they were' : 'it was'} taken in. Nothing was kept. Wait until everything has been copied, then start again.`;

/** The set is kept, whatever becomes of the files. */
export const staysWhereItIs = (error: unknown) =>
  `The files could not be put aside (${(error as Error).message}): they stay where they are.`;

/**
 * Reads a file once for the checksums that speak of it, and for nothing where none does.
 * @returns what differs, as a sentence
 */
export async function differsFromList(
  batch: Batch,
  file: Pick<OpenedFile, 'path' | 'plain'>,
  run: Run,
): Promise<string | undefined> {
  const wanted = batch.checksums.get(file.path) ?? [];
  if (wanted.length === 0) return undefined;
  const hashes = wanted.map(({ kind, digest }) => ({ hash: createHash(kind), kind, digest }));
  for await (const part of broken(file.plain(), run.signal)) for (const { hash } of hashes) hash.update(part);
  for (const { hash, kind, digest } of hashes) {
    const found = hash.digest('hex');
    if (found === digest) continue;
    return `${file.path} is not as its checksum file says: ${kind} ${found} instead of ${digest}.`;
  }
  run.log(`${file.path} is as its checksum file says.`);
  return undefined;
}

/** A stream that ends when the run is cancelled. */
export async function* broken(
  stream: AsyncIterable<Uint8Array>,
  signal: AbortSignal,
): AsyncGenerator<Uint8Array> {
  for await (const part of stream) {
    signal.throwIfAborted();
    yield part;
  }
}

/** The phone that files are of: one that is known, or one that is told of; or what stands for the model. @throws Problem 400 */
export function phoneOf(
  larder: Larder,
  {
    serial,
    phone,
    firmwareOf,
  }: { readonly serial: string; readonly phone?: NewPhone; readonly firmwareOf?: Model },
): NamedPhone {
  if (firmwareOf) return ownerOfFirmware(firmwareOf);
  const found = larder.phone(serial) ?? (phone && { serial, ...phone });
  if (found) return found;
  throw new Problem(400, `The larder knows no phone ${serial}: say its maker, model and name as well.`);
}
