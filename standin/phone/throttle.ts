/** Lets bytes pass at a steady rate; what goes unused is not saved up beyond a tenth of a second. */
export class Throttle {
  private freeAt = 0;

  /** @param bytesPerSecond Infinity for a link without limit */
  constructor(private readonly bytesPerSecond: number) {}

  async pass(bytes: number): Promise<void> {
    if (this.bytesPerSecond === Infinity) return;
    const now = Date.now();
    this.freeAt = Math.max(this.freeAt, now - 100) + (bytes / this.bytesPerSecond) * 1000;
    const wait = this.freeAt - now;
    if (wait > 4) await new Promise((resolve) => setTimeout(resolve, wait));
  }
}
