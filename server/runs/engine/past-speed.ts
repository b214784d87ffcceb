import { expectedBytesPerSecond } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { RunKind } from '@keen-larder/contract/runs.ts';
import type { Bench } from '../../bench/bench.ts';
import type { RunStatements } from '../../database/runs.ts';

/**
 * Bytes per second, learned from past runs of the same phone, mode and link.
 * @param kinds of runs to learn from, the first of which there are any
 */
export function pastSpeed(
  bench: Bench,
  runs: RunStatements,
  serial: string,
  kinds: readonly RunKind[],
): number {
  const { mode } = bench.facts(serial);
  const { kind: link } = bench.link(serial);
  for (const kind of kinds) {
    const past = runs.transfers(kind, serial, mode, link);
    if (past.length > 0) return expectedBytesPerSecond(past);
  }
  return expectedBytesPerSecond([]);
}
