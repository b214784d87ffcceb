/** Some memory in equal parts: who takes one waits until there is one. */
export class Slots {
  private readonly free: Uint8Array[] = [];
  private readonly waiting: ((slot: Uint8Array) => void)[] = [];
  private made = 0;

  /** @param most that there are at once; each is made when it is needed */
  constructor(
    private readonly most: number,
    private readonly bytes: number,
  ) {}

  take(): Promise<Uint8Array> {
    const slot = this.free.pop();
    if (slot) return Promise.resolve(slot);
    if (this.made === this.most) return new Promise((resolve) => this.waiting.push(resolve));
    this.made++;
    return Promise.resolve(new Uint8Array(this.bytes));
  }

  giveBack(slot: Uint8Array): void {
    const next = this.waiting.shift();
    if (next) next(slot);
    else this.free.push(slot);
  }
}
