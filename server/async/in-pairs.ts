import { raceAgainst } from './race-against.ts';

/**
 * Starts each item's work once what the item before it brings was taken, while that may still be under way. No more
 * than two are under way. The first failure stops the others; nothing is under way when this ends.
 * @param start begins an item's work, which calls `taken` when it needs nothing more of the item, and ends when told
 *   to `stop`
 * @throws what the first work to fail throws, or the signal's reason
 */
export async function inPairs<T>(
  items: AsyncIterable<T>,
  signal: AbortSignal | undefined,
  start: (item: T, taken: () => void, stop: AbortSignal) => Promise<void>,
): Promise<void> {
  const failing = new AbortController();
  const stop = AbortSignal.any([failing.signal, ...(signal ? [signal] : [])]);
  const orStopped = raceAgainst(
    new Promise<never>((_, reject) =>
      stop.addEventListener('abort', () => reject(stop.reason as Error), { once: true }),
    ),
  );
  let before = Promise.resolve();
  let present = before;
  try {
    for await (const item of items) {
      stop.throwIfAborted();
      before = present;
      await orStopped(
        new Promise<void>((taken) => {
          present = start(item, taken, stop);
          present.catch((error: unknown) => failing.abort(error));
        }),
      );
      await before;
    }
    await present;
  } finally {
    failing.abort();
    await Promise.allSettled([before, present]);
  }
}

/** Hands parts on and tells when there are no more. */
export async function* untilTaken<T>(parts: AsyncIterable<T>, taken: () => void): AsyncGenerator<T> {
  yield* parts;
  taken();
}
