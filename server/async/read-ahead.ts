/**
 * Asks for items before they are wanted, so that they come about while others are dealt with.
 * @param most how many are asked for ahead
 */
export async function* readAhead<T>(items: AsyncIterable<T>, most: number): AsyncGenerator<T> {
  const iterator = items[Symbol.asyncIterator]();
  const queue: Promise<IteratorResult<T>>[] = [];
  const ask = () => {
    const next = iterator.next();
    // Whoever takes it hears of what it throws.
    next.catch(() => undefined);
    queue.push(next);
  };
  try {
    while (queue.length < most) ask();
    for (;;) {
      const next = await queue.shift()!;
      if (next.done) return;
      ask();
      yield next.value;
    }
  } finally {
    // It ends when what was asked for has come; nobody waits for that.
    void iterator.return?.()?.catch(() => undefined);
  }
}
