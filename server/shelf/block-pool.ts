import { blockBytes } from './pack-format.ts';

/** A fixed number of shared blocks: who takes one waits until there is one, which bounds memory. */
export class BlockPool {
  private readonly free: SharedArrayBuffer[];
  private readonly waiting: ((memory: SharedArrayBuffer) => void)[] = [];

  constructor(blocks: number) {
    this.free = Array.from({ length: blocks }, () => new SharedArrayBuffer(blockBytes));
  }

  take(): Promise<SharedArrayBuffer> {
    const memory = this.free.pop();
    return memory ? Promise.resolve(memory) : new Promise((resolve) => this.waiting.push(resolve));
  }

  giveBack(memory: SharedArrayBuffer): void {
    const next = this.waiting.shift();
    if (next) next(memory);
    else this.free.push(memory);
  }
}
