import { createHash, type Hash } from 'node:crypto';
import { Worker } from 'node:worker_threads';

/** Less is not worth a thread. */
const worthThreadBytes = 4 << 20;
/** Pieces on their way to the thread at once. */
const mostWaiting = 8;

const threadScript = `
const { parentPort, workerData } = require('node:worker_threads');
const { createHash } = require('node:crypto');
let hash = createHash(workerData);
parentPort.on('message', (part) => {
  if (part) return parentPort.postMessage(hash.update(part) && part.length);
  parentPort.postMessage(hash.digest('hex'));
  hash = createHash(workerData);
});`;

/** Threads that wait for work, by algorithm: one that starts anew costs more than a few MiB of digesting. */
const idle = new Map<string, Worker[]>();
const mostIdle = 4;

/** A digest as a program of its own computes it: beside whatever else the phone does. */
export class Hasher {
  private readonly hash: Hash;
  private held: Uint8Array[] = [];
  private heldBytes = 0;
  private thread: Worker | undefined;
  private waiting = 0;
  private wake: (() => void) | undefined;
  private answer: string | undefined;

  constructor(private readonly algorithm: string) {
    this.hash = createHash(algorithm);
  }

  async update(part: Uint8Array): Promise<void> {
    if (!this.thread && this.heldBytes + part.length < worthThreadBytes) {
      this.held.push(new Uint8Array(part));
      this.heldBytes += part.length;
      return;
    }
    this.thread ??= this.begin();
    // A copy of its own: a buffer's slice would be the same memory.
    await this.send(new Uint8Array(part));
  }

  /** Lower-case hexadecimal. */
  async digest(): Promise<string> {
    if (!this.thread) {
      for (const part of this.held) this.hash.update(part);
      return this.hash.digest('hex');
    }
    this.thread.postMessage(null);
    while (this.answer === undefined) await this.next();
    this.rest(this.thread);
    this.thread = undefined;
    return this.answer;
  }

  /** Ends it, also before its digest was asked for. */
  close(): void {
    void this.thread?.terminate();
  }

  /** Keeps a thread that has told its digest for whoever needs one next. */
  private rest(thread: Worker): void {
    thread.removeAllListeners('message');
    const resting = idle.get(this.algorithm) ?? [];
    if (resting.length >= mostIdle) void thread.terminate();
    else idle.set(this.algorithm, [...resting, thread]);
  }

  private begin(): Worker {
    const thread =
      idle.get(this.algorithm)?.pop() ?? new Worker(threadScript, { eval: true, workerData: this.algorithm });
    thread.unref();
    thread.on('message', (told: number | string) => {
      if (typeof told === 'string') this.answer = told;
      else this.waiting--;
      this.wake?.();
    });
    for (const part of this.held) {
      this.waiting++;
      thread.postMessage(part);
    }
    this.held = [];
    return thread;
  }

  private async send(part: Uint8Array<ArrayBuffer>): Promise<void> {
    while (this.waiting >= mostWaiting) await this.next();
    this.waiting++;
    this.thread!.postMessage(part, [part.buffer]);
  }

  private next(): Promise<void> {
    return new Promise((resolve) => (this.wake = resolve));
  }
}
