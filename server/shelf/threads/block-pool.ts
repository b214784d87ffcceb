import { blockBytes } from '../packs/pack-format.ts';

/** A fixed number of shared blocks: who takes one waits until there is one, which bounds memory. */
export class BlockPool {
  private readonly free: SharedArrayBuffer[] = [];
  private readonly waiting: ((memory: SharedArrayBuffer) => void)[] = [];
  private made = 0;

  /** @param most that there are at once; each is made when it is needed */
  constructor(private readonly most: number) {}

  take(): Promise<SharedArrayBuffer> {
    const memory = this.free.pop();
    if (memory) return Promise.resolve(memory);
    if (this.made === this.most) return new Promise((resolve) => this.waiting.push(resolve));
    this.made++;
    return Promise.resolve(new SharedArrayBuffer(blockBytes));
  }

  /** Everything that was taken has come back. */
  get isWhole(): boolean {
    return this.free.length === this.made;
  }

  giveBack(memory: SharedArrayBuffer): void {
    const next = this.waiting.shift();
    if (next) next(memory);
    else this.free.push(memory);
  }
}

/**
 * Copies bytes into shared memory. `fill` is one native memcpy; `TypedArray.set` and `copy` go
 * through V8's relaxed atomics and take ten times as long when the ends are not aligned.
 */
export function copyToShared(memory: SharedArrayBuffer, offset: number, bytes: Uint8Array): void {
  if (bytes.length > 0) Buffer.from(memory).fill(bytes, offset, offset + bytes.length);
}
