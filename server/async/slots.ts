/** A fixed number of things that are used again: who takes one waits until there is one. */
export class Slots<T> {
  private readonly free: T[] = [];
  private readonly waiting: ((slot: T) => void)[] = [];
  private made = 0;

  /** @param most that there are at once; each is made when it is needed */
  constructor(
    private readonly most: number,
    private readonly make: () => T,
  ) {}

  take(): Promise<T> {
    const slot = this.free.pop();
    if (slot !== undefined) return Promise.resolve(slot);
    if (this.made === this.most) return new Promise((resolve) => this.waiting.push(resolve));
    this.made++;
    return Promise.resolve(this.make());
  }

  /** Everything that was taken has come back. */
  get isWhole(): boolean {
    return this.inUse === 0;
  }

  get inUse(): number {
    return this.made - this.free.length;
  }

  /** Gives up what is free: the next ones are made anew. */
  protected takeFree(): T[] {
    this.made -= this.free.length;
    return this.free.splice(0);
  }

  giveBack(slot: T): void {
    const next = this.waiting.shift();
    if (next) next(slot);
    else this.free.push(slot);
  }
}
