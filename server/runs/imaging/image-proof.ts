import { createHash } from 'node:crypto';
import { rangesText, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { readInPlace, type ImageRecipe } from '../../shelf/image-reader.ts';
import type { StoredImage } from '../../shelf/image-writer.ts';
import { chunkBytes, digestBytes } from '../../shelf/packs/pack-format.ts';
import type { SetWriter } from '../../shelf/set-writer.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import type { Digest } from '../../links/phone-link.ts';
import type { Run } from '../engine/live-run.ts';
import { readInParts } from '../phone/partition-reading.ts';
import type { PhoneAtWork } from '../phone/phone-at-work.ts';
import { digestStored, md5Stored } from '../../shelf/verify-image.ts';
import { FlashFailure } from '../../failures.ts';
import { accessOf } from '../phone/phone-access.ts';

interface Proving {
  readonly phone: Pick<PhoneAtWork, 'retry'>;
  readonly set: SetWriter;
  readonly shelf: Shelf;
  readonly run: Pick<Run, 'log' | 'signal'>;
}

export interface Proven {
  readonly stored: StoredImage;
  readonly unsettled: readonly ByteRange[];
}

/** Where bytes differ is looked for in pieces of this size first, then chunk by chunk. */
const pieceBytes = 64 * chunkBytes;
/** A chunk is read anew so often before it is given up. */
const readings = 4;
/** More differing chunks than this are no matter of a bad cable: they are named and not read again. */
const mostChunks = 2048;

/**
 * Has the phone digest what was read. Where it finds something else, that is read again; what does
 * not come out the same way twice is named.
 * @param mayAgree false when parts of it could not be read at all
 * @param told the phone's digest, begun while it was read
 */
export async function proveImage(
  proving: Proving,
  name: string,
  ranges: readonly ByteRange[],
  stored: StoredImage,
  mayAgree: boolean,
  told?: Promise<Digest | undefined>,
): Promise<Proven> {
  const agrees = async (as: StoredImage, early?: Promise<Digest | undefined>) =>
    isWhole(proving, name, as, ranges, await phoneDigest(proving, name, ranges, early));
  // What it told while it was read from may be of a moment before it settled: it is asked again.
  if (mayAgree && told && (await agrees(stored, told))) return { stored, unsettled: [] };
  if (mayAgree && (await agrees(stored))) return { stored, unsettled: [] };
  const { run, set, shelf } = proving;
  if (mayAgree) {
    run.log(
      `The phone computes another digest of ${name} than of what was read: looking for where.`,
      'warning',
    );
  }
  await set.seal();
  const chunks = Buffer.from(stored.chunks);
  const recipe = { partition: name, bytes: stored.bytes, chunkBytes, chunks };
  const unsettled: ByteRange[] = [];
  let readAgain = 0;
  for (const piece of cut(ranges, pieceBytes)) {
    if (await isAsStored(proving, name, recipe, piece)) continue;
    for (const chunk of cut([piece], chunkBytes)) {
      if (await isAsStored(proving, name, recipe, chunk)) continue;
      const left = readAgain++ < mostChunks ? await readAnew(proving, name, chunk, chunks) : [chunk];
      for (const range of left) addRange(unsettled, range);
    }
  }
  await set.seal();
  const sha256 = await digestStored(shelf, { ...recipe, ranges: JSON.stringify(ranges) }, run.signal);
  const now = { ...stored, chunks, sha256 };
  if (unsettled.length > 0) {
    run.log(`${name} does not come out the same way twice at ${rangesText(unsettled)}.`, 'error');
    return { stored: now, unsettled };
  }
  run.log(`${name}: ${readAgain} ${readAgain === 1 ? 'chunk was' : 'chunks were'} read again and now agree.`);
  // Something may have changed while it was looked for.
  return { stored: now, unsettled: (await agrees(now)) ? [] : ranges };
}

/** Whether what was stored is what the phone told the digest of. */
async function isWhole(
  { shelf, set, run }: Proving,
  partition: string,
  stored: StoredImage,
  ranges: readonly ByteRange[],
  told: Digest | undefined,
): Promise<boolean> {
  if (told?.by !== 'md5') return told?.hex === stored.sha256.toString('hex');
  await set.seal();
  const md5 = await md5Stored(shelf, { partition, ...stored, ranges: JSON.stringify(ranges) }, run.signal);
  return told.hex === md5.toString('hex');
}

/** Reads a chunk until the phone's digest of it agrees; resolves to what of it does not. */
async function readAnew(
  { phone, set }: Proving,
  name: string,
  chunk: ByteRange,
  chunks: Buffer,
): Promise<readonly ByteRange[]> {
  for (let reading = 0; reading < readings; reading++) {
    const { bytes, agrees, lost } = await phone.retry({
      what: `Read ${name} again`,
      attempt: async (attempt) => {
        const lost: ByteRange[] = [];
        const read = await readInParts(attempt, name, chunk, lost);
        const told = await accessOf(attempt.link).digest(name, [chunk], attempt.signal).catch(notReadable);
        const agrees =
          told?.hex ===
          createHash(told?.by ?? 'sha256')
            .update(read)
            .digest('hex');
        return { bytes: read, agrees, lost };
      },
    });
    const memory = new SharedArrayBuffer(bytes.length);
    Buffer.from(memory).set(bytes);
    const [digest] = await set.store({ memory, bytes: bytes.length });
    digest!.copy(chunks, (chunk.offset / chunkBytes) * digestBytes);
    if (agrees) return [];
    if (lost.length > 0) return lost;
  }
  return [chunk];
}

const phoneDigest = (
  { phone }: Proving,
  name: string,
  ranges: readonly ByteRange[],
  told?: Promise<Digest | undefined>,
) =>
  phone.retry({
    what: `Compare ${name}`,
    attempt: async ({ link, signal }) => {
      const early = told && (await orAborted(told, signal));
      told = undefined;
      if (early) return early;
      return accessOf(link).digest(name, ranges, signal).catch(notReadable);
    },
  });

async function isAsStored(
  proving: Proving,
  name: string,
  recipe: ImageRecipe,
  range: ByteRange,
): Promise<boolean> {
  const told = await phoneDigest(proving, name, [range]);
  if (!told) return false;
  const hash = createHash(told.by);
  for await (const part of readInPlace(proving.shelf, recipe, range)) hash.update(part);
  return hash.digest('hex') === told.hex;
}

function orAborted<T>(promise: Promise<T>, signal: AbortSignal): Promise<T> {
  return new Promise((resolve, reject) => {
    const abort = () => reject(signal.reason as Error);
    if (signal.aborted) return abort();
    signal.addEventListener('abort', abort, { once: true });
    promise.then(resolve, reject).finally(() => signal.removeEventListener('abort', abort));
  });
}

/** A digest that cannot be computed agrees with nothing. */
export function notReadable(error: unknown): undefined {
  if (error instanceof FlashFailure) return undefined;
  throw error;
}

/** Adds a range, joined with the last one where they touch. */
function addRange(ranges: ByteRange[], range: ByteRange): void {
  const last = ranges.at(-1);
  if (last && last.offset + last.bytes === range.offset) {
    ranges[ranges.length - 1] = { offset: last.offset, bytes: last.bytes + range.bytes };
  } else ranges.push(range);
}

/** Ranges in pieces of at most so many bytes. */
function* cut(ranges: readonly ByteRange[], most: number): Generator<ByteRange> {
  for (const { offset, bytes } of ranges) {
    for (let done = 0; done < bytes; done += most) {
      yield { offset: offset + done, bytes: Math.min(most, bytes - done) };
    }
  }
}
