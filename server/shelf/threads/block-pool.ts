import { Slots } from '../../async/slots.ts';
import { blockBytes } from '../packs/pack-format.ts';

/** A fixed number of shared blocks, which bounds memory. */
export class BlockPool extends Slots<SharedArrayBuffer> {
  constructor(most: number, bytes = blockBytes) {
    super(most, () => new SharedArrayBuffer(bytes));
  }
}

/**
 * Copies bytes into shared memory. `fill` is one native memcpy; `TypedArray.set` and `copy` go
 * through V8's relaxed atomics and take ten times as long when the ends are not aligned.
 */
export function copyToShared(memory: SharedArrayBuffer, offset: number, bytes: Uint8Array): void {
  if (bytes.length > 0) Buffer.from(memory).fill(bytes, offset, offset + bytes.length);
}
