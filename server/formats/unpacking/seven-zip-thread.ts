import { Worker } from 'node:worker_threads';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { builtWorker } from '../../shelf/built-worker.ts';
import { controlBytes, type SevenZipMessage, type SevenZipOrder } from './seven-zip-messages.ts';

/** What is read at once. */
const roomBytes = 1 << 20;
/** An archive is listed and then unpacked, and often another follows. */
const keptMs = 10_000;

/** It reads, gives bytes or ends within this time, or it never will. */
const mostQuietMs = 30_000;

/** A thread with nothing to do. */
let spare: SevenZipThread | undefined;

/**
 * 7-Zip in a thread of its own; it goes on when the next message is asked for, and is ended where that does not happen.
 * @throws FormatError when it comes to no end; what the source throws
 */
export async function* sevenZip(
  source: ByteSource,
  kind: SevenZipOrder['kind'],
): AsyncGenerator<SevenZipMessage, void> {
  const thread = spare ?? new SevenZipThread();
  spare = undefined;
  let hasEnded = false;
  try {
    for await (const message of thread.run(source, kind)) {
      hasEnded = message.kind === 'ended';
      yield message;
    }
  } finally {
    if (hasEnded && spare === undefined) keep(thread);
    else await thread.end();
  }
}

/** For the next one, for a while. */
function keep(thread: SevenZipThread): void {
  spare = thread;
  thread.rest(() => {
    if (spare === thread) spare = undefined;
    void thread.end();
  });
}

class SevenZipThread {
  private readonly shared = new SharedArrayBuffer(controlBytes + roomBytes);
  private readonly control = new Int32Array(this.shared, 0, 2);
  private readonly room = new Uint8Array(this.shared, controlBytes);
  private readonly worker = new Worker(builtWorker('seven-zip-worker'), { stdout: true, stderr: true });
  private readonly messages: SevenZipMessage[] = [];
  private wake: (() => void) | undefined;
  private failure: Error | undefined;
  private isOver = false;
  private idle: NodeJS.Timeout | undefined;
  private format = '7z';

  constructor() {
    this.worker.on('message', (message: SevenZipMessage) => {
      this.messages.push(message);
      this.wake?.();
    });
    this.worker.on('error', (error) => {
      this.failure = error;
      this.wake?.();
    });
    this.worker.on('exit', () => {
      this.isOver = true;
      this.wake?.();
    });
  }

  async *run(source: ByteSource, kind: SevenZipOrder['kind']): AsyncGenerator<SevenZipMessage, void> {
    clearTimeout(this.idle);
    this.worker.ref();
    this.format = kind === 'unpack xz' ? 'xz' : '7z';
    this.worker.postMessage({ kind, bytes: source.bytes, shared: this.shared } satisfies SevenZipOrder);
    for (;;) {
      const message = this.messages.shift();
      if (message?.kind === 'read') {
        await this.answer(source, message);
      } else if (message) {
        if (message.kind === 'ended' && this.failure !== undefined) throw this.failure;
        yield message;
        if (message.kind === 'ended') return;
        this.goOn(0);
      } else if (this.isOver) {
        throw this.failure ?? new FormatError(this.format, 'data', 0, 'it cannot be unpacked');
      } else {
        await this.itMoves();
      }
    }
  }

  /** It does not keep the program from ending. @param give is called after a while */
  rest(give: () => void): void {
    this.worker.unref();
    this.idle = setTimeout(give, keptMs).unref();
  }

  async end(): Promise<void> {
    await this.worker.terminate();
  }

  private async itMoves(): Promise<void> {
    const quiet = setTimeout(() => {
      const words = `reading it comes to no end within ${mostQuietMs / 1000} s`;
      this.failure = new FormatError(this.format, 'data', 0, words);
      void this.end();
    }, mostQuietMs);
    await new Promise<void>((resolve) => (this.wake = resolve));
    clearTimeout(quiet);
  }

  private async answer(source: ByteSource, { offset, bytes }: { offset: number; bytes: number }) {
    try {
      const had = await source.read(offset, bytes);
      this.room.set(had);
      this.goOn(had.length);
    } catch (error) {
      // Of whoever gives the bytes; 7-Zip would call it damage.
      this.failure = error as Error;
      this.goOn(-1);
    }
  }

  private goOn(had: number): void {
    Atomics.store(this.control, 1, had);
    Atomics.store(this.control, 0, 1);
    Atomics.notify(this.control, 0);
  }
}
