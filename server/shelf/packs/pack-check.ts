import { chunkBytes, codecs, type PackedChunk, type Record } from './pack-format.ts';
import { listRecords, OpenPack } from './pack-reader.ts';
import { unpackChunk } from './unpack-chunk.ts';

/** What reading a pack back whole found. */
export interface PackFindings {
  readonly bytes: number;
  /** When its file was last modified; milliseconds since 1970. */
  readonly modifiedAt: number;
  /** What is wrong with its frame, by which it can be read without a catalogue. */
  readonly frame?: string;
  /** Chunks that are not what their names say. */
  readonly damaged: readonly DamagedChunk[];
}

export interface DamagedChunk {
  /** 32 bytes. */
  readonly digest: Uint8Array;
  readonly what: string;
}

const plainMemory = Buffer.allocUnsafeSlow(chunkBytes);

/** What is wrong with a chunk. */
function faultOf({ digest, plainBytes }: Record, { codec, stored }: PackedChunk): string | undefined {
  const bytes = Buffer.from(stored.buffer, stored.byteOffset, stored.length);
  const plain = codec === codecs.zstd ? plainMemory.subarray(0, plainBytes) : bytes;
  return unpackChunk(bytes, { codec, digest, plainBytes }, plain);
}

/**
 * Reads a pack from the disk: its frame, and every chunk against its name.
 * @param chunks where the catalogue has them; left out for all that the pack itself lists
 * @param key of a shelf that is sealed
 * @returns with the records that the pack lists, where none were given
 * @throws Error when the file cannot be opened
 */
export function checkPack({
  path,
  chunks,
  key,
}: {
  readonly path: string;
  readonly chunks?: readonly Record[];
  readonly key?: Uint8Array;
}): PackFindings & { readonly records: readonly Record[] } {
  const pack = new OpenPack(path);
  try {
    const { bytes, modifiedAt } = pack;
    const wanted = chunks && new Map(chunks.map((each) => [each.offset, each]));
    const damaged: DamagedChunk[] = [];
    let frame: string | undefined;
    let records = chunks ?? [];
    try {
      const look = (record: Record, chunk: PackedChunk | undefined) => {
        const known = wanted?.get(record.offset) ?? record;
        // What is relied upon somewhere else is nobody's here.
        if (wanted && !wanted.delete(record.offset)) return;
        const what = !chunk
          ? 'is not as it was sealed'
          : isSameRecord(known, record)
            ? faultOf(known, chunk)
            : 'has a header that says something else';
        // Without its name nobody relies on it.
        if (what && known.digest.length > 0) damaged.push({ digest: known.digest, what });
      };
      const listed = listRecords(pack, look, key);
      if (!chunks) records = listed;
    } catch (error) {
      frame = (error as Error).message;
    }
    // What is in a pack without its frame is read by the catalogue alone: it is not relied upon.
    const rest = frame === undefined ? [...(wanted?.values() ?? [])] : records;
    const why =
      frame === undefined ? 'is not where the catalogue has it' : `is in a pack that is damaged (${frame})`;
    const told = new Set(damaged.map(({ digest }) => digest));
    for (const { digest } of rest) if (!told.has(digest)) damaged.push({ digest, what: why });
    return { bytes, modifiedAt, ...(frame && { frame }), damaged, records: chunks ? [] : records };
  } finally {
    pack.close();
  }
}

const isSameRecord = (a: Record, b: Record): boolean =>
  a.codec === b.codec &&
  a.storedBytes === b.storedBytes &&
  a.plainBytes === b.plainBytes &&
  Buffer.compare(a.digest, b.digest) === 0;
