/**
 * Loads snapshots while news comes in. A snapshot was made before it arrived: what was heard in between is
 * newer, and must not be lost under it.
 */
export function newsKeeper<T>(keyOf: (value: T) => string) {
  const loading = new Set<Map<string, T>>();
  return {
    hear(value: T): void {
      for (const heard of loading) heard.set(keyOf(value), value);
    },

    /** The snapshot's values by key, in its order, with what was heard meanwhile over them and behind them. */
    async load(snapshot: () => Promise<readonly T[]>): Promise<Map<string, T>> {
      const heard = new Map<string, T>();
      loading.add(heard);
      try {
        const values = new Map((await snapshot()).map((value) => [keyOf(value), value]));
        for (const [key, value] of heard) values.set(key, value);
        return values;
      } finally {
        loading.delete(heard);
      }
    },
  };
}
