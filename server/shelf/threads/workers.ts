import { availableParallelism } from 'node:os';
import { Piscina } from 'piscina';
import type { Block, ChunkFault, Packed, Sealing, Stored } from './chunk-worker.ts';
import type { PackFindings } from '../packs/pack-check.ts';
import type { Record } from '../packs/pack-format.ts';
import { builtWorker } from '../built-worker.ts';
import { DigestThread } from './digest-thread.ts';

/** A digest over bytes that are fed block by block; a block may be reused when its `update` has resolved. */
export interface DigestStream {
  update(block: Block): Promise<void>;
  /** The digest of what was fed so far; more may follow. */
  soFar(): Promise<Buffer>;
  mark(): Promise<void>;
  /** Forgets what was fed since the mark. */
  backToMark(): Promise<void>;
  finish(): Promise<Buffer>;
}

/** As many as there are phones on a bench, where there are processors for them. */
const mostDigestThreads = 4;
const digestThreads = (algorithm: string): readonly DigestThread[] =>
  Array.from(
    { length: Math.max(1, Math.min(mostDigestThreads, availableParallelism() - 1)) },
    () => new DigestThread(algorithm),
  );

/** The threads that do the shelf's heavy computation. */
export class ShelfWorkers {
  private readonly pool = new Piscina({
    filename: builtWorker('chunk-worker').href,
    minThreads: 0,
    maxThreads: Math.max(2, availableParallelism()),
    idleTimeout: 600_000,
  });
  /** Started when first asked. */
  private readonly digests = { sha256: digestThreads('sha256'), md5: digestThreads('md5') };
  private nextStream = 1;

  /** Starts the threads before they are needed: each takes a good part of a second to load. */
  async warmUp(): Promise<void> {
    const digests = this.digestStream();
    const memory = new SharedArrayBuffer(1);
    await Promise.all([
      digests.update({ memory, bytes: 1 }).then(() => digests.finish()),
      ...Array.from({ length: this.pool.maxThreads }, () => this.unpackChunks(memory, memory, [])),
    ]);
  }

  /** @param seal of a shelf that is sealed */
  packChunks(
    block: Block,
    wanted: readonly number[],
    output: SharedArrayBuffer,
    seal?: Sealing,
  ): Promise<Packed[]> {
    return this.pool.run({ ...block, wanted, output, seal }, { name: 'packChunks' }) as Promise<Packed[]>;
  }

  unpackChunks(
    input: SharedArrayBuffer,
    output: SharedArrayBuffer,
    chunks: readonly Stored[],
    key?: Uint8Array,
  ): Promise<ChunkFault | undefined> {
    return this.pool.run({ input, output, chunks, key }, { name: 'unpackChunks' }) as Promise<
      ChunkFault | undefined
    >;
  }

  /**
   * Digests of each piece of a block, in order; the last one may be shorter.
   * @returns in lower-case hexadecimal
   */
  digestPieces({ memory, bytes }: Block, pieceBytes: number, by: 'sha256' | 'md5'): Promise<string[]> {
    return this.pool.run({ memory, bytes, pieceBytes, by }, { name: 'digestPieces' }) as Promise<string[]>;
  }

  /**
   * Reads a pack back from the disk.
   * @param chunks where the catalogue has them; left out for all that the pack itself lists
   * @param key of a shelf that is sealed
   * @throws Error when the file cannot be opened
   */
  async checkPack(
    path: string,
    chunks?: readonly Record[],
    key?: Uint8Array,
  ): Promise<PackFindings & { readonly records: readonly Record[] }> {
    const found = (await this.pool.run({ path, chunks, key }, { name: 'checkPack' })) as Awaited<
      ReturnType<ShelfWorkers['checkPack']>
    >;
    // What crosses from one thread to another comes as plain arrays of bytes.
    return {
      ...found,
      records: found.records.map((each) => ({ ...each, digest: Buffer.from(each.digest) })),
    };
  }

  digestStream(by: 'sha256' | 'md5' = 'sha256'): DigestStream {
    const stream = this.nextStream++;
    let chosen: DigestThread | undefined;
    // Several phones at once: each stream stays on one thread, those that are under way are spread over all.
    const thread = () => (chosen ??= this.digests[by].reduce((a, b) => (b.streams < a.streams ? b : a)));
    return {
      update: (block) => thread().update(stream, block),
      soFar: () => thread().peek(stream),
      mark: () => thread().mark(stream),
      backToMark: () => thread().back(stream),
      finish: () => thread().finish(stream),
    };
  }

  async close(): Promise<void> {
    const threads = [...this.digests.sha256, ...this.digests.md5];
    await Promise.all([this.pool.destroy(), ...threads.map((thread) => thread.close())]);
  }
}
