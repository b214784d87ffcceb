import { Slots } from '../../async/slots.ts';
import { blockBytes } from '../packs/pack-format.ts';

/** Blocks that no pool needs, by their size: the collector comes late, since all that it sees of them is small. */
const spare = new Map<number, SharedArrayBuffer[]>();
const mostSpare = 12;

/** A fixed number of shared blocks, which bounds memory. */
export class BlockPool extends Slots<SharedArrayBuffer> {
  constructor(
    most: number,
    private readonly bytes = blockBytes,
  ) {
    super(most, () => spare.get(bytes)?.pop() ?? new SharedArrayBuffer(bytes));
  }

  /** Leaves what is free to the next pool; it is whole all the same, should it be used again. */
  rest(): void {
    const kept = spare.get(this.bytes) ?? [];
    spare.set(this.bytes, [...kept, ...this.takeFree()].slice(0, mostSpare));
  }
}

/**
 * Copies bytes into shared memory. `fill` is one native memcpy; `TypedArray.set` and `copy` go
 * through V8's relaxed atomics and take ten times as long when the ends are not aligned.
 */
export function copyToShared(memory: SharedArrayBuffer, offset: number, bytes: Uint8Array): void {
  if (bytes.length > 0) Buffer.from(memory).fill(bytes, offset, offset + bytes.length);
}
