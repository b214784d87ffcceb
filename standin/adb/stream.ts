import { commands } from '@keen-larder/core/protocols/adb/packet.ts';

export type Send = (
  command: number,
  arg0: number,
  arg1: number,
  payload: readonly Uint8Array[],
) => Promise<void>;

/** What the phone takes ahead on a stream, where the host asks for windows. */
export const windowBytes = 8 << 20;

/**
 * One stream of an adb connection, seen from the phone: at most one unacknowledged write at a time, or with a
 * window on both sides where both know `delayed_ack` (AOSP packages/modules/adb, protocol.txt and adb.h).
 */
export class AdbStream {
  private acknowledged: (() => void) | undefined;
  private readonly inbox: Uint8Array[] = [];
  private wake: (() => void) | undefined;
  private ended = false;

  constructor(
    readonly localId: number,
    readonly remoteId: number,
    private readonly send: Send,
    /** What the host takes ahead; undefined without windows. */
    private available: number | undefined,
    /** Takes back the memory of a payload that was dealt with. */
    private readonly release: (payload: Uint8Array) => void,
  ) {}

  get closed(): boolean {
    return this.ended;
  }

  /** Sends parts as one packet and waits until the host took it. @throws Error when the stream is closed */
  async write(...parts: Uint8Array[]): Promise<void> {
    if (this.ended) throw new Error('the stream is closed');
    if (this.available === undefined) {
      const taken = new Promise<void>((resolve) => (this.acknowledged = resolve));
      await this.send(commands.WRTE, this.localId, this.remoteId, parts);
      await taken;
    } else {
      const bytes = parts.reduce((sum, part) => sum + part.length, 0);
      while (this.available < bytes && !this.ended)
        await new Promise<void>((resolve) => (this.acknowledged = resolve));
      if (this.ended) throw new Error('the stream is closed');
      this.available -= bytes;
      await this.send(commands.WRTE, this.localId, this.remoteId, parts);
    }
    if (this.ended) throw new Error('the stream is closed');
  }

  /**
   * What the host sends, acknowledged piece by piece: the next may be on its way while one is worked on. A
   * piece is good until the next one is asked for.
   */
  async *input(): AsyncGenerator<Uint8Array> {
    for (;;) {
      const next = this.inbox.shift();
      if (next) {
        if (!this.ended)
          await this.send(commands.OKAY, this.localId, this.remoteId, this.window(next.length));
        yield next;
        this.release(next);
      } else if (this.ended) {
        return;
      } else {
        await new Promise<void>((resolve) => (this.wake = resolve));
      }
    }
  }

  /** What an acknowledgement says: how many bytes more may come, where there are windows. */
  window(bytes: number): Uint8Array[] {
    if (this.available === undefined) return [];
    const word = Buffer.alloc(4);
    word.writeUInt32LE(bytes);
    return [word];
  }

  /** @param payload of the host's acknowledgement */
  onAcknowledge(payload: Uint8Array): void {
    if (this.available !== undefined && payload.length === 4) {
      this.available += Buffer.from(payload).readUInt32LE();
    }
    this.acknowledged?.();
  }

  onWrite(payload: Uint8Array): void {
    this.inbox.push(payload);
    this.wake?.();
  }

  /** The other side closed, or the link is gone. */
  onClose(): void {
    this.ended = true;
    this.acknowledged?.();
    this.wake?.();
  }

  async close(): Promise<void> {
    if (this.ended) return;
    this.onClose();
    await this.send(commands.CLSE, this.localId, this.remoteId, []);
  }
}
