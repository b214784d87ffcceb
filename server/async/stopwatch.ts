/** Starts to measure. @returns how long ago that was, in milliseconds, by a clock that does not jump */
export function stopwatch(): () => number {
  const since = performance.now();
  return () => Math.round(performance.now() - since);
}
