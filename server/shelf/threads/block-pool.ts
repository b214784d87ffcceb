import { Slots } from '../../async/slots.ts';
import { storedBlockBytes } from '../packs/sealed-record.ts';

/** Blocks that no pool needs: the collector comes late, since all that it sees of them is small. */
const spare: SharedArrayBuffer[] = [];
const mostSpare = 12;

/** A fixed number of shared blocks, which bounds memory. Each has room for the chunks of a block as they are stored, sealed or not. */
export class BlockPool extends Slots<SharedArrayBuffer> {
  constructor(most: number) {
    super(most, () => spare.pop() ?? new SharedArrayBuffer(storedBlockBytes));
  }

  /** Leaves what is free to the next pool; it is whole all the same, should it be used again. */
  rest(): void {
    spare.push(...this.takeFree().slice(0, mostSpare - spare.length));
  }
}

/**
 * Copies bytes into shared memory. `fill` is one native memcpy; `TypedArray.set` and `copy` go
 * through V8's relaxed atomics and take ten times as long when the ends are not aligned.
 */
export function copyToShared(memory: SharedArrayBuffer, offset: number, bytes: Uint8Array): void {
  if (bytes.length > 0) Buffer.from(memory).fill(bytes, offset, offset + bytes.length);
}
