/** Does works of one key one after the other, in the order in which they were asked for. */
export class OneAtATime {
  private readonly last = new Map<string, Promise<unknown>>();

  do<T>(key: string, work: () => Promise<T>): Promise<T> {
    const before = this.last.get(key) ?? Promise.resolve();
    const done = before.then(work, work);
    const settled = done.then(
      () => undefined,
      () => undefined,
    );
    this.last.set(key, settled);
    void settled.then(() => {
      if (this.last.get(key) === settled) this.last.delete(key);
    });
    return done;
  }
}
