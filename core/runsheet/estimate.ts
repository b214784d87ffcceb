/** One finished transfer to learn from. */
export interface PastTransfer {
  readonly bytes: number;
  readonly elapsedMs: number;
}

/** What a USB 2 cable carries over adb, when nothing is known yet (common practice, no published source). */
export const usualBytesPerSecond = 35 * 1024 * 1024;

/** What a phone takes to start into another mode (common practice, no published source). */
export const usualStartMs = 40_000;

/** Runs shorter than this say more about starting up than about the cable. */
const leastBytes = 8 * 1024 * 1024;

/** Expected speed from the last few runs of the same phone and mode; newest first. */
export function expectedBytesPerSecond(past: readonly PastTransfer[]): number {
  const useful = past.filter(({ bytes, elapsedMs }) => bytes >= leastBytes && elapsedMs > 0).slice(0, 5);
  if (useful.length === 0) return usualBytesPerSecond;
  const bytes = useful.reduce((sum, each) => sum + each.bytes, 0);
  const elapsedMs = useful.reduce((sum, each) => sum + each.elapsedMs, 0);
  return (bytes / elapsedMs) * 1000;
}
