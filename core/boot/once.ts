import { FormatError } from '../bytes/format-error.ts';
import type { ByteSource } from '../bytes/source.ts';
import { BootFailure } from './failure.ts';

const known = new WeakMap<ByteSource, Map<string, Promise<unknown>>>();

/**
 * What was found of a source is told again for as long as that source is in use: plans that have most of
 * their partitions in common are judged one after the other. Errors of reading are not remembered.
 */
export function once<T>(source: ByteSource, key: string, work: () => Promise<T>): Promise<T> {
  const found = known.get(source) ?? new Map<string, Promise<unknown>>();
  known.set(source, found);
  const earlier = found.get(key) as Promise<T> | undefined;
  if (earlier) return earlier;
  const now = work();
  found.set(key, now);
  now.catch((error: unknown) => {
    if (!(error instanceof FormatError || error instanceof BootFailure)) found.delete(key);
  });
  return now;
}
