import { joinBytes } from '@keen-larder/core/bytes/join.ts';

/** Takes a stream apart by lengths that the stream itself tells. */
export class ByteReader {
  private readonly parts: AsyncIterator<Uint8Array>;
  private had: Uint8Array = new Uint8Array(0);

  constructor(stream: AsyncIterable<Uint8Array>) {
    this.parts = stream[Symbol.asyncIterator]();
  }

  /** The next bytes: fewer than were asked for where the stream ends. */
  async upTo(bytes: number): Promise<Uint8Array> {
    const parts: Uint8Array[] = [];
    let left = bytes;
    while (left > 0) {
      if (this.had.length === 0) {
        const next = await this.parts.next();
        if (next.done) break;
        // What is handed on is good until the next piece is asked for.
        this.had = next.value.length > left ? Uint8Array.from(next.value) : next.value;
      }
      const part = this.had.subarray(0, left);
      parts.push(parts.length === 0 && part.length === left ? part : Uint8Array.from(part));
      this.had = this.had.subarray(part.length);
      left -= part.length;
    }
    return parts.length === 1 ? parts[0]! : joinBytes(parts);
  }

  /** The next bytes, all of them. @throws Error where the stream ends before */
  async exactly(bytes: number): Promise<Uint8Array> {
    const found = await this.upTo(bytes);
    if (found.length < bytes) throw new Error('it ends too early');
    return found;
  }

  async u32(): Promise<number> {
    return u32At(await this.exactly(4));
  }

  /** Passes bytes over. @throws Error where the stream ends before */
  async skip(bytes: number): Promise<void> {
    for (let left = bytes; left > 0;) left -= (await this.exactly(Math.min(left, 1 << 20))).length;
  }

  async close(): Promise<void> {
    await this.parts.return?.();
  }
}

export const u32At = (bytes: Uint8Array, at = 0): number =>
  new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength).getUint32(at, true);
