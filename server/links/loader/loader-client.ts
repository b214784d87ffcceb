import type { Socket } from 'node:net';
import { rangesBytes, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { utf8 } from '@keen-larder/core/bytes/text.ts';
import {
  loaderHeaderBytes,
  maxLoaderWrite,
  LoaderParser,
  operations,
  statuses,
  stretch,
  parseHello,
  type LoaderHello,
  type LoaderMessage,
} from '@keen-larder/core/protocols/loader/loader-messages.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { connectTcp } from '../tcp.ts';
import { FlashFailure, LinkFailure, PhoneRefusal } from '../../failures.ts';
import type { SilenceLimit, Quiet } from '../silence.ts';

/** Messages held for whoever takes them; beyond this the phone has to wait. */
const heldMessages = 4;

/** Speaks to a processor's loader, one request after the other; see docs/loader-protocol.md. */
export class LoaderClient {
  readonly gone: Promise<void>;
  private readonly parser = new LoaderParser();
  private readonly inbox: LoaderMessage[] = [];
  private wake: (() => void) | undefined;
  private ended = false;
  private order: Promise<unknown> = Promise.resolve();

  private constructor(
    private readonly socket: Socket,
    private readonly silence: SilenceLimit,
  ) {
    socket.setNoDelay(true);
    socket.on('data', (bytes) => this.receive(bytes));
    socket.on('error', () => socket.destroy());
    this.gone = new Promise((resolve) =>
      socket.once('close', () => {
        this.ended = true;
        this.wake?.();
        resolve();
      }),
    );
  }

  /** @param address `host:port` */
  static async open(address: string, silence: SilenceLimit): Promise<LoaderClient> {
    return new LoaderClient(await connectTcp(address), silence);
  }

  async hello(): Promise<LoaderHello> {
    const text = Buffer.from(await this.ask(operations.hello)).toString();
    return understood(() => parseHello(text));
  }

  async battery(): Promise<{ readonly percent: number; readonly charging: boolean }> {
    const text = Buffer.from(await this.ask(operations.battery)).toString();
    return understood(() => JSON.parse(text) as { percent: number; charging: boolean });
  }

  /** SHA-256 over stretches of a region, computed by the phone. */
  async digest(region: string, ranges: readonly ByteRange[], signal?: AbortSignal): Promise<string> {
    const quiet = { bytes: rangesBytes(ranges) };
    return Buffer.from(await this.ask(operations.digest, stretches(region, ranges), signal, quiet)).toString(
      'hex',
    );
  }

  /** The bytes of stretches of a region. Breaking off ends the connection: the protocol cannot be told to stop. */
  async *read(
    region: string,
    ranges: readonly ByteRange[],
    signal?: AbortSignal,
  ): AsyncGenerator<Uint8Array> {
    const release = await this.turn();
    let isWhole = false;
    try {
      this.send(operations.read, stretches(region, ranges));
      for (;;) {
        const { operation, status, payload } = await this.silence.for(this.next(signal));
        if (operation === operations.data) {
          yield payload;
          continue;
        }
        isWhole = true;
        requireWell(status);
        return;
      }
    } finally {
      release();
      if (!isWhole) this.close();
    }
  }

  /** Writes bytes from an offset of a region on. */
  async write(
    region: string,
    offset: number,
    bytes: AsyncIterable<Uint8Array>,
    signal?: AbortSignal,
  ): Promise<void> {
    let at = offset;
    for await (const part of bytes) {
      for (let done = 0; done < part.length; done += maxLoaderWrite) {
        const piece = part.subarray(done, done + maxLoaderWrite);
        const head = stretches(region, [{ offset: at, bytes: piece.length }]);
        await this.ask(operations.write, Buffer.concat([head, piece]), signal);
        at += piece.length;
      }
    }
  }

  async restart(into: PhoneMode): Promise<void> {
    try {
      await this.ask(operations.restart, utf8(into));
    } catch (error) {
      // A phone that is gone before it has answered did what it was told.
      if (!this.ended) throw error;
    }
  }

  close(): void {
    this.socket.destroy();
  }

  private async ask(
    operation: number,
    payload: Uint8Array = new Uint8Array(),
    signal?: AbortSignal,
    quiet?: Quiet,
  ): Promise<Uint8Array> {
    const release = await this.turn();
    let isAnswered = false;
    try {
      this.send(operation, payload);
      const answer = await this.silence.for(this.next(signal), quiet);
      isAnswered = true;
      requireWell(answer.status);
      return answer.payload;
    } finally {
      release();
      if (!isAnswered) this.close();
    }
  }

  /** Waits until no other request is under way. */
  private async turn(): Promise<() => void> {
    const before = this.order;
    let release = () => {};
    this.order = new Promise<void>((resolve) => (release = resolve));
    await before;
    return release;
  }

  private send(operation: number, payload: Uint8Array): void {
    this.socket.write(Buffer.concat([loaderHeaderBytes(operation, statuses.well, payload.length), payload]));
  }

  private receive(bytes: Buffer): void {
    try {
      this.inbox.push(...this.parser.push(bytes));
    } catch {
      this.close();
      return;
    }
    if (this.inbox.length >= heldMessages) this.socket.pause();
    this.wake?.();
  }

  private async next(signal?: AbortSignal): Promise<LoaderMessage> {
    for (;;) {
      signal?.throwIfAborted();
      const message = this.inbox.shift();
      if (message) {
        if (this.inbox.length < heldMessages) this.socket.resume();
        return message;
      }
      if (this.ended)
        throw new LinkFailure('The phone is no longer connected. Check the cable, then start again.');
      await new Promise<void>((resolve) => {
        const done = () => {
          signal?.removeEventListener('abort', done);
          resolve();
        };
        this.wake = done;
        signal?.addEventListener('abort', done, { once: true });
      });
    }
  }
}

function stretches(region: string, ranges: readonly ByteRange[]): Uint8Array {
  const payload = new Uint8Array(stretch.bytes * ranges.length);
  ranges.forEach(({ offset, bytes }, i) =>
    stretch.write(payload, i * stretch.bytes, { region, offset: BigInt(offset), bytes: BigInt(bytes) }),
  );
  return payload;
}

function requireWell(status: number): void {
  if (status === statuses.well) return;
  if (status === statuses.flashFault) throw new FlashFailure('The phone cannot read its own flash there.');
  if (status === statuses.cannotWrite) {
    throw new FlashFailure('The phone cannot write its own flash there: it is worn and cannot be repaired.');
  }
  throw new PhoneRefusal(`The phone’s loader refused (status ${status}).`);
}

/** @throws LinkFailure where what came makes no sense: bytes may have been changed on their way */
function understood<T>(parse: () => T): T {
  try {
    return parse();
  } catch (error) {
    throw new LinkFailure(`What the phone says makes no sense (${(error as Error).message}).`, {
      cause: error,
    });
  }
}
