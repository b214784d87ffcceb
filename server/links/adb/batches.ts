/** An argument of Linux has 128 KiB at most; this leaves room for quoting. */
const argumentBytes = 60_000;

/** Paths in portions that fit one command. */
export function* batches(paths: readonly string[]): Generator<string[]> {
  let batch: string[] = [];
  let bytes = 0;
  for (const path of paths) {
    if (bytes + path.length > argumentBytes && batch.length > 0) {
      yield batch;
      batch = [];
      bytes = 0;
    }
    batch.push(path);
    bytes += path.length + 3;
  }
  if (batch.length > 0) yield batch;
}
