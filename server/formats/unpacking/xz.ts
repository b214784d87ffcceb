import { complaintOf } from './seven-zip-messages.ts';
import { sevenZip } from './seven-zip-thread.ts';

/**
 * Unpacks xz as it comes, by 7-Zip: any filters, any checks that it knows, several streams in a row.
 * @throws Error when it is damaged, ends too early or takes too much memory
 */
export async function* unpackXzStream(stream: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const input = new Sequence(stream);
  try {
    for await (const message of sevenZip(input, 'unpack xz')) {
      if (message.kind === 'bytes') yield message.bytes;
      else if (message.kind === 'ended' && message.code !== 0) throw new Error(complaintOf(message.errors));
    }
  } finally {
    await input.close();
  }
}

/** A stream that is read from its beginning to its end. */
class Sequence {
  readonly bytes = Infinity;
  private readonly parts: AsyncIterator<Uint8Array>;
  private left: Uint8Array = new Uint8Array(0);

  constructor(stream: AsyncIterable<Uint8Array>) {
    this.parts = stream[Symbol.asyncIterator]();
  }

  /** What comes next: no more than is wanted, and nothing at the end. */
  async read(_offset: number, wanted: number): Promise<Uint8Array> {
    while (this.left.length === 0) {
      const next = await this.next();
      if (next.done === true) break;
      this.left = next.value;
    }
    const part = this.left.subarray(0, wanted);
    this.left = this.left.subarray(part.length);
    return part;
  }

  async close(): Promise<void> {
    await this.parts.return?.();
  }

  private async next(): Promise<IteratorResult<Uint8Array>> {
    try {
      return await this.parts.next();
    } catch (error) {
      throw Object.assign(error as Error, { fromSource: true });
    }
  }
}
