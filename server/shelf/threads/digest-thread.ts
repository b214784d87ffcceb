import { Worker } from 'node:worker_threads';
import { builtWorker } from '../built-worker.ts';
import type { Block } from './chunk-worker.ts';
import type { DigestAnswer, DigestRequest } from './digest-worker.ts';

/** A thread that computes one kind of digest; started when first asked. */
export class DigestThread {
  private worker: Worker | undefined;
  private readonly waiting: ((answer: DigestAnswer) => void)[] = [];
  private failure: Error | undefined;
  private readonly underWay = new Set<number>();

  /** @param algorithm as OpenSSL names it */
  constructor(private readonly algorithm: string) {}

  /** Resolves when the block has been read and may be used again. */
  async update(stream: number, { memory, bytes }: Block): Promise<void> {
    this.underWay.add(stream);
    await this.ask({ kind: 'update', stream, memory, bytes });
  }

  /** The digest of what was fed so far; more may follow. */
  peek(stream: number): Promise<Buffer> {
    return this.digest('peek', stream);
  }

  /** How many are being digested. */
  get streams(): number {
    return this.underWay.size;
  }

  finish(stream: number): Promise<Buffer> {
    this.underWay.delete(stream);
    return this.digest('finish', stream);
  }

  async mark(stream: number): Promise<void> {
    await this.ask({ kind: 'mark', stream });
  }

  /** Forgets what was fed since the mark. */
  async back(stream: number): Promise<void> {
    await this.ask({ kind: 'back', stream });
  }

  private async digest(kind: 'peek' | 'finish', stream: number): Promise<Buffer> {
    const { digest } = await this.ask({ kind, stream });
    return Buffer.from(digest!);
  }

  async close(): Promise<void> {
    await this.worker?.terminate();
  }

  private ask(request: DigestRequest): Promise<DigestAnswer> {
    return new Promise((resolve, reject) => {
      if (this.failure) return reject(this.failure);
      this.waiting.push(resolve);
      // Only an answer that is waited for keeps the program running.
      this.thread().ref();
      this.thread().postMessage(request);
    });
  }

  private thread(): Worker {
    if (!this.worker) {
      this.worker = new Worker(builtWorker('digest-worker'), { workerData: this.algorithm });
      this.worker.on('message', (answer: DigestAnswer) => {
        this.waiting.shift()?.(answer);
        if (this.waiting.length === 0) this.worker?.unref();
      });
      this.worker.on('error', (error) => {
        this.failure = error;
        throw error;
      });
    }
    return this.worker;
  }
}
