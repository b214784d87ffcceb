/** What comes in, for commands that take from it one after the other: what one leaves the next has. */
export class Input implements AsyncIterable<Uint8Array> {
  private readonly source: AsyncIterator<Uint8Array>;
  private held: Uint8Array | undefined;

  constructor(source: AsyncIterable<Uint8Array>) {
    this.source = source[Symbol.asyncIterator]();
  }

  static of(source: AsyncIterable<Uint8Array>): Input {
    return source instanceof Input ? source : new Input(source);
  }

  /** The next line without its end; undefined where nothing more comes. */
  async line(): Promise<string | undefined> {
    const parts: Uint8Array[] = [];
    for (;;) {
      const part = await this.next();
      if (part === undefined) return parts.length > 0 ? Buffer.concat(parts).toString() : undefined;
      const end = part.indexOf(0x0a);
      parts.push(part.slice(0, end < 0 ? part.length : end));
      if (end < 0) continue;
      if (end + 1 < part.length) this.held = part.subarray(end + 1);
      return Buffer.concat(parts).toString();
    }
  }

  /** It may be left half-way: it does not end by that. */
  [Symbol.asyncIterator](): AsyncIterator<Uint8Array> {
    return {
      next: async () => {
        const value = await this.next();
        return value === undefined ? { done: true, value } : { done: false, value };
      },
    };
  }

  private async next(): Promise<Uint8Array | undefined> {
    const { held } = this;
    if (held) {
      this.held = undefined;
      return held;
    }
    const more = await this.source.next();
    return more.done === true ? undefined : more.value;
  }
}

/** All of an input, as text. */
export async function textOf(input: AsyncIterable<Uint8Array>): Promise<string> {
  const parts: Uint8Array[] = [];
  for await (const part of input) parts.push(part.slice());
  return Buffer.concat(parts).toString();
}
