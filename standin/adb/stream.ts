import { commands } from '@keen-larder/core/protocols/adb/packet.ts';

export type Send = (
  command: number,
  arg0: number,
  arg1: number,
  payload: readonly Uint8Array[],
) => Promise<void>;

/** One stream of an adb connection, seen from the phone: at most one unacknowledged write at a time. */
export class AdbStream {
  private acknowledged: (() => void) | undefined;
  private readonly inbox: Uint8Array[] = [];
  private wake: (() => void) | undefined;
  private ended = false;

  constructor(
    readonly localId: number,
    readonly remoteId: number,
    private readonly send: Send,
  ) {}

  get closed(): boolean {
    return this.ended;
  }

  /** Sends parts as one packet and waits until the host took it. @throws Error when the stream is closed */
  async write(...parts: Uint8Array[]): Promise<void> {
    if (this.ended) throw new Error('the stream is closed');
    const taken = new Promise<void>((resolve) => (this.acknowledged = resolve));
    await this.send(commands.WRTE, this.localId, this.remoteId, parts);
    await taken;
    if (this.ended) throw new Error('the stream is closed');
  }

  /** What the host sends, acknowledged piece by piece as it is consumed. */
  async *input(): AsyncGenerator<Uint8Array> {
    for (;;) {
      const next = this.inbox.shift();
      if (next) {
        yield next;
        if (!this.ended) await this.send(commands.OKAY, this.localId, this.remoteId, []);
      } else if (this.ended) {
        return;
      } else {
        await new Promise<void>((resolve) => (this.wake = resolve));
      }
    }
  }

  onAcknowledge(): void {
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
