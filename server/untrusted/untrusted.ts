import { Piscina } from 'piscina';
import type { InstalledApp } from '@keen-larder/core/apps/facts.ts';
import type { PackageEntry } from '@keen-larder/core/apps/package-dump.ts';
import type { RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { builtWorker } from '../shelf/built-worker.ts';
import type { ReadRecords } from './records-reader.ts';

/** Nothing that a phone has takes longer to be read. */
const mostMs = 20_000;
const mostMegabytes = 1024;

let pool: Piscina | undefined;

/**
 * Has something read in a thread that is ended when it takes too long or too much memory: a database may have a view without an
 * end, a text may be made to take for ever.
 * @returns undefined when it was ended
 */
async function read<T>(name: string, what: unknown, limitMs: number): Promise<T | undefined> {
  pool ??= new Piscina({
    filename: builtWorker('untrusted-worker').href,
    minThreads: 0,
    maxThreads: 2,
    idleTimeout: 30_000,
    resourceLimits: { maxOldGenerationSizeMb: mostMegabytes },
  });
  const limit = AbortSignal.timeout(limitMs);
  try {
    return (await pool.run(what, { name, signal: limit })) as T;
  } catch (error) {
    const { code } = error as { code?: string };
    if (limit.aborted || code === 'ERR_WORKER_OUT_OF_MEMORY') return undefined;
    throw error;
  }
}

/** What records say; see `readRecords`. @param files by their paths @param now for what is dated as it is written */
export async function readUntrustedRecords(
  kind: RecordKindId,
  files: ReadonlyMap<string, Uint8Array>,
  now: number,
  limitMs = mostMs,
): Promise<ReadRecords> {
  const found = await read<ReadRecords>('records', { kind, files, now }, limitMs);
  const fault =
    'Reading them does not come to an end: what they hold is not told. They are kept as they are.';
  return found ?? { count: undefined, readable: undefined, fault };
}

/** What records say that a content provider told; see `readProvided`. */
export async function readProvidedRecords(
  kind: RecordKindId,
  answer: string,
  now: number,
): Promise<ReadRecords> {
  const found = await read<ReadRecords>('provided', { kind, answer, now }, mostMs);
  const fault = 'Reading what the provider told does not come to an end.';
  return found ?? { count: undefined, readable: undefined, fault };
}

/** Uids of apps with keys in the phone's hardware; none of a database that cannot be read. */
export const readKeyUids = async (bytes: Uint8Array): Promise<number[]> =>
  (await read<number[]>('keyUids', bytes, mostMs)) ?? [];

/** See `parsePackageDump`. */
export const readPackages = async (text: string, user = 0): Promise<InstalledApp[]> =>
  (await read<InstalledApp[]>('packages', { text, user }, mostMs)) ?? [];

/** See `parseEntries`; undefined where it does not come to an end. */
export const readEntries = (text: string): Promise<PackageEntry[] | undefined> =>
  read<PackageEntry[]>('entries', text, mostMs);
