import type { RunSheet } from './check.ts';
import { isDestructive } from './effects.ts';

/** Destructive runs are armed by typing this: the last four characters of the phone's serial. */
export const armingText = (serial: string): string => serial.slice(-4);

/** Whether a run must be armed: it writes partitions, changes locks, or replaces data on the phone. */
export const mustArm = ({ steps, checks }: Pick<RunSheet, 'steps' | 'checks'>): boolean =>
  steps.some(isDestructive) || checks.some(({ id }) => id === 'data-replaced');
