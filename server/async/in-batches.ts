import { setImmediate as turn } from 'node:timers/promises';

/**
 * Hands items on in batches: what is there at once goes together, and nothing waits for more.
 * @param isFull whether a batch is to be no longer
 */
export async function* inBatches<T>(
  items: AsyncIterable<T>,
  isFull: (batch: readonly T[]) => boolean,
): AsyncGenerator<readonly T[]> {
  const iterator = items[Symbol.asyncIterator]();
  const ask = () => {
    const next = iterator.next();
    // Whoever waits for it hears of what it throws.
    next.catch(() => undefined);
    return next;
  };
  let next = ask();
  try {
    for (;;) {
      const first = await next;
      if (first.done) return;
      const batch = [first.value];
      next = ask();
      while (!isFull(batch)) {
        const soon = await Promise.race([next, turn(undefined)]).catch(() => undefined);
        if (soon === undefined || soon.done) break;
        batch.push(soon.value);
        next = ask();
      }
      yield batch;
    }
  } finally {
    // It ends when what was asked for has come; nobody waits for that.
    void iterator.return?.()?.catch(() => undefined);
  }
}
