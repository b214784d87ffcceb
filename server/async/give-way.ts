import { setImmediate as nextTurn } from 'node:timers/promises';

const longestMs = 15;
let since = performance.now();

/** Lets whoever waits have a turn, where work that never waits has gone on for a while. */
export async function giveWay(): Promise<void> {
  if (performance.now() - since < longestMs) return;
  await nextTurn();
  since = performance.now();
}
