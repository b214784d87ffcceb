/** Lets bytes pass at a steady rate; what goes unused is not saved up beyond a tenth of a second. */
export class Throttle {
  private freeAt = 0;

  /** @param bytesPerSecond Infinity for a link without limit */
  constructor(private readonly bytesPerSecond: number) {}

  /** Undefined where so many bytes need not wait. */
  pass(bytes: number): Promise<void> | undefined {
    if (this.bytesPerSecond === Infinity) return undefined;
    const now = Date.now();
    this.freeAt = Math.max(this.freeAt, now - 100) + (bytes / this.bytesPerSecond) * 1000;
    const wait = this.freeAt - now;
    return wait > 4 ? new Promise((resolve) => setTimeout(resolve, wait)) : undefined;
  }
}
