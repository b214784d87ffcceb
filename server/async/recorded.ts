/** Items that are taken as they come. */
export interface Recorded<T> extends AsyncIterable<T> {
  /** All that come have come. */
  readonly ended: Promise<void>;
}

/**
 * Takes items as they come, and gives all of them, from the first on, to everyone who asks. Where they break off they end: whoever
 * needs all of them counts.
 */
export function recorded<T>(items: AsyncIterable<T>): Recorded<T> {
  const taken: T[] = [];
  let isEnded = false;
  let wake: () => void;
  let more: Promise<void>;
  const wait = () => {
    more = new Promise((resolve) => (wake = resolve));
  };
  wait();
  const take = async () => {
    try {
      for await (const item of items) {
        taken.push(item);
        wake();
        wait();
      }
    } catch {
      // It ends.
    }
    isEnded = true;
    wake();
  };
  return {
    ended: take(),
    async *[Symbol.asyncIterator]() {
      for (let i = 0; ; i++) {
        while (i === taken.length) {
          if (isEnded) return;
          await more;
        }
        yield taken[i]!;
      }
    },
  };
}
