/** Connects one command's output to the next one's input, a piece at a time. */
export class Pipe implements AsyncIterable<Uint8Array> {
  private held: Uint8Array | undefined;
  private ended = false;
  private waiting: (() => void)[] = [];

  readonly write = async (bytes: Uint8Array): Promise<void> => {
    while (this.held && !this.ended) await this.changed();
    this.held = bytes;
    this.wake();
    while (this.held && !this.ended) await this.changed();
  };

  end(): void {
    this.ended = true;
    this.wake();
  }

  async *[Symbol.asyncIterator](): AsyncGenerator<Uint8Array> {
    for (;;) {
      if (this.held) {
        const bytes = this.held;
        yield bytes;
        this.held = undefined;
        this.wake();
      } else if (this.ended) return;
      else await this.changed();
    }
  }

  private changed(): Promise<void> {
    return new Promise((resolve) => this.waiting.push(resolve));
  }

  private wake(): void {
    for (const resolve of this.waiting.splice(0)) resolve();
  }
}
