import { availableParallelism } from 'node:os';
import { Piscina } from 'piscina';
import type { Block, ChunkFault, Packed, Stored } from './chunk-worker.ts';
import type { PackFindings } from '../packs/pack-check.ts';
import type { Record } from '../packs/pack-format.ts';
import { builtWorker } from '../built-worker.ts';
import { DigestThread } from './digest-thread.ts';

/** The SHA-256 of one image, fed block by block; a block may be reused when its `update` has resolved. */
export interface DigestStream {
  update(block: Block): Promise<void>;
  /** SHA-256 of what was fed so far; more may follow. */
  sha256SoFar(): Promise<Buffer>;
  finish(): Promise<Buffer>;
}

/** The threads that do the shelf's heavy computation. */
export class ShelfWorkers {
  private readonly pool = new Piscina({
    filename: builtWorker('chunk-worker').href,
    minThreads: 0,
    maxThreads: Math.max(2, availableParallelism()),
    idleTimeout: 600_000,
  });
  private readonly sha256 = new DigestThread('sha256');
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

  packChunks(block: Block, wanted: readonly number[], output: SharedArrayBuffer): Promise<Packed[]> {
    return this.pool.run({ ...block, wanted, output }, { name: 'packChunks' }) as Promise<Packed[]>;
  }

  unpackChunks(
    input: SharedArrayBuffer,
    output: SharedArrayBuffer,
    chunks: readonly Stored[],
  ): Promise<ChunkFault | undefined> {
    return this.pool.run({ input, output, chunks }, { name: 'unpackChunks' }) as Promise<
      ChunkFault | undefined
    >;
  }

  /**
   * Reads a pack back from the disk.
   * @param chunks where the catalogue has them; left out for all that the pack itself lists
   * @throws Error when the file cannot be opened
   */
  async checkPack(
    path: string,
    chunks?: readonly Record[],
  ): Promise<PackFindings & { readonly records: readonly Record[] }> {
    const found = (await this.pool.run({ path, chunks }, { name: 'checkPack' })) as Awaited<
      ReturnType<ShelfWorkers['checkPack']>
    >;
    // What crosses from one thread to another comes as plain arrays of bytes.
    return {
      ...found,
      records: found.records.map((each) => ({ ...each, digest: Buffer.from(each.digest) })),
    };
  }

  digestStream(): DigestStream {
    const stream = this.nextStream++;
    return {
      update: (block) => this.sha256.update(stream, block),
      sha256SoFar: () => this.sha256.peek(stream),
      finish: () => this.sha256.finish(stream),
    };
  }

  async close(): Promise<void> {
    await Promise.all([this.pool.destroy(), this.sha256.close()]);
  }
}
