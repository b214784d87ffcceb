import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { Piscina } from 'piscina';
import type { Block, Packed, Stored } from './chunk-worker.ts';
import type { DigestAnswer, DigestRequest } from './digest-worker.ts';

export interface Digests {
  readonly sha256: Buffer;
  readonly md5: Buffer;
}

/** Digests of one image, fed block by block; a block may be reused when its `update` has resolved. */
export interface DigestStream {
  update(block: Block): Promise<void>;
  finish(): Promise<Digests>;
}

/** The threads that do the shelf's heavy computation. */
export class ShelfWorkers {
  private readonly pool = new Piscina({
    filename: new URL('./chunk-worker.entry.mjs', import.meta.url).href,
    minThreads: 1,
    maxThreads: Math.max(2, availableParallelism()),
    idleTimeout: 60_000,
  });
  private digester: Worker | undefined;
  private readonly waiting = new Map<number, ((answer: DigestAnswer) => void)[]>();
  private nextStream = 1;

  nameChunks(block: Block): Promise<(Uint8Array | undefined)[]> {
    return this.pool.run(block, { name: 'nameChunks' }) as Promise<(Uint8Array | undefined)[]>;
  }

  packChunks(block: Block, wanted: readonly number[]): Promise<Packed[]> {
    return this.pool.run({ ...block, wanted }, { name: 'packChunks' }) as Promise<Packed[]>;
  }

  unpackChunk(stored: Stored): Promise<Uint8Array | string> {
    return this.pool.run(stored, { name: 'unpackChunk' }) as Promise<Uint8Array | string>;
  }

  digestStream(): DigestStream {
    const stream = this.nextStream++;
    const ask = (request: DigestRequest) =>
      new Promise<DigestAnswer>((resolve) => {
        const queue = this.waiting.get(stream) ?? [];
        queue.push(resolve);
        this.waiting.set(stream, queue);
        this.digestThread().postMessage(request);
      });
    return {
      update: async ({ memory, bytes }) => void (await ask({ kind: 'update', stream, memory, bytes })),
      finish: async () => {
        const answer = await ask({ kind: 'finish', stream });
        this.waiting.delete(stream);
        if (answer.kind !== 'finished') throw new Error('the digest thread answered out of turn');
        return { sha256: Buffer.from(answer.sha256), md5: Buffer.from(answer.md5) };
      },
    };
  }

  async close(): Promise<void> {
    await this.pool.destroy();
    await this.digester?.terminate();
  }

  private digestThread(): Worker {
    if (!this.digester) {
      this.digester = new Worker(new URL('./digest-worker.entry.mjs', import.meta.url));
      this.digester.on('message', (answer: DigestAnswer) => this.waiting.get(answer.stream)?.shift()?.(answer));
      this.digester.unref();
    }
    return this.digester;
  }
}
