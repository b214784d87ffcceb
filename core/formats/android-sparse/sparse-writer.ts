import { chunkHeader, chunkTypes, sparseHeader, sparseMagic } from './layouts.ts';

/** So many blocks of an image that are all zeros, or not. */
export interface SparseRun {
  readonly zeros: boolean;
  readonly blocks: number;
}

/** A chunk of a planned sparse file. */
interface PlannedChunk {
  readonly type: 'raw' | 'zeros' | 'skip';
  /** Where in the image it begins. */
  readonly block: number;
  readonly blocks: number;
}

/** One sparse file; a large image may take several, each of which leaves the others' blocks alone. */
export interface SparseFile {
  readonly blockBytes: number;
  readonly totalBlocks: number;
  readonly chunks: readonly PlannedChunk[];
  /** Size of the file. */
  readonly bytes: number;
}

export interface SparseOptions {
  /** Usually 4096. */
  readonly blockBytes: number;
  /** No file is to be larger; at least one block fits into each all the same. */
  readonly maxBytes?: number;
}

const payloadBytes = ({ type, blocks }: PlannedChunk, blockBytes: number) =>
  type === 'raw' ? blocks * blockBytes : type === 'zeros' ? 4 : 0;

/**
 * Plans the Android sparse files (AOSP libsparse, sparse_format.h) of an image. Zeros are written as fills,
 * not left alone, so that what was on the partition before does not show through.
 * @param runs the image from its first block to its last
 */
export function planSparse(
  runs: readonly SparseRun[],
  { blockBytes, maxBytes = Infinity }: SparseOptions,
): SparseFile[] {
  const totalBlocks = runs.reduce((sum, { blocks }) => sum + blocks, 0);
  const files: SparseFile[] = [];
  // Room is kept for the header and for a skip before and behind.
  const room = maxBytes - sparseHeader.bytes - 2 * chunkHeader.bytes;
  let chunks: PlannedChunk[] = [];
  let used = 0;
  const endFile = () => {
    const first = chunks[0]?.block ?? 0;
    const last = chunks.at(-1);
    const end = last ? last.block + last.blocks : 0;
    const all: PlannedChunk[] = [
      ...(first > 0 ? [{ type: 'skip' as const, block: 0, blocks: first }] : []),
      ...chunks,
      ...(end < totalBlocks ? [{ type: 'skip' as const, block: end, blocks: totalBlocks - end }] : []),
    ];
    const bytes = all.reduce(
      (sum, chunk) => sum + chunkHeader.bytes + payloadBytes(chunk, blockBytes),
      sparseHeader.bytes,
    );
    files.push({ blockBytes, totalBlocks, chunks: all, bytes });
    chunks = [];
    used = 0;
  };
  let block = 0;
  for (const run of merged(runs)) {
    for (let left = run.blocks; left > 0;) {
      const fits = run.zeros ? left : Math.floor((room - used - chunkHeader.bytes) / blockBytes);
      const tight = run.zeros && used + chunkHeader.bytes + 4 > room;
      if ((fits < 1 || tight) && chunks.length > 0) {
        endFile();
        continue;
      }
      const blocks = Math.min(left, Math.max(1, fits));
      const chunk: PlannedChunk = { type: run.zeros ? 'zeros' : 'raw', block, blocks };
      chunks.push(chunk);
      used += chunkHeader.bytes + payloadBytes(chunk, blockBytes);
      block += blocks;
      left -= blocks;
    }
  }
  if (chunks.length > 0 || files.length === 0) endFile();
  return files;
}

/** Neighbours of one kind as one run; empty runs left out. */
function merged(runs: readonly SparseRun[]): SparseRun[] {
  const found: SparseRun[] = [];
  for (const run of runs) {
    const last = found.at(-1);
    if (run.blocks === 0) continue;
    if (last?.zeros === run.zeros) found[found.length - 1] = { ...last, blocks: last.blocks + run.blocks };
    else found.push(run);
  }
  return found;
}

/**
 * The bytes of a planned sparse file.
 * @param read the image's bytes from one offset on, so many of them
 */
export async function* writeSparse(
  { blockBytes, totalBlocks, chunks }: SparseFile,
  read: (offset: number, bytes: number) => AsyncIterable<Uint8Array>,
): AsyncGenerator<Uint8Array> {
  const header = new Uint8Array(sparseHeader.bytes);
  sparseHeader.write(header, 0, {
    magic: sparseMagic,
    majorVersion: 1,
    minorVersion: 0,
    fileHeaderBytes: sparseHeader.bytes,
    chunkHeaderBytes: chunkHeader.bytes,
    blockBytes,
    totalBlocks,
    totalChunks: chunks.length,
    imageCrc32: 0, // not given, as libsparse leaves it
  });
  yield header;
  const types = { raw: chunkTypes.raw, zeros: chunkTypes.fill, skip: chunkTypes.dontCare } as const;
  for (const chunk of chunks) {
    const payload = payloadBytes(chunk, blockBytes);
    const head = new Uint8Array(chunkHeader.bytes + (chunk.type === 'zeros' ? payload : 0));
    chunkHeader.write(head, 0, {
      chunkType: types[chunk.type],
      reserved: 0,
      chunkBlocks: chunk.blocks,
      totalBytes: chunkHeader.bytes + payload,
    });
    yield head;
    if (chunk.type === 'raw') yield* read(chunk.block * blockBytes, payload);
  }
}
