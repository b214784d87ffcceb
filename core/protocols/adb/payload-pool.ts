/** Payloads as large as adb makes them. */
const pooledBytes = 1 << 20;
/** Shorter payloads are left to the garbage collector. */
const worthPooling = 64 * 1024;
const kept = 8;

/**
 * Memory for the large payloads of a link, used again and again: an image of a gigabyte would
 * otherwise be a thousand buffers to collect.
 */
export class PayloadPool {
  private readonly free: ArrayBuffer[] = [];

  take(bytes: number): Uint8Array {
    if (bytes < worthPooling || bytes > pooledBytes) return new Uint8Array(bytes);
    return new Uint8Array(this.free.pop() ?? new ArrayBuffer(pooledBytes), 0, bytes);
  }

  /** To be called by whoever has read a payload and keeps nothing of it. */
  giveBack({ buffer, length }: Uint8Array): void {
    if (length < worthPooling || buffer.byteLength !== pooledBytes || !(buffer instanceof ArrayBuffer))
      return;
    if (this.free.length < kept) this.free.push(buffer);
  }
}
