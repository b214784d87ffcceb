/** How often the rules for keeping are carried out by themselves. */
export const orderRhythms = ['never', 'day', 'week', 'month'] as const;
export type OrderRhythm = (typeof orderRhythms)[number];

/** In the night, when nobody waits for the disk; local time. */
const hour = 3;
const monday = 1;

/**
 * When the rules are carried out next: at three in the morning, of each day, of Mondays, or of the first of each month.
 * @param after milliseconds since 1970: when they were last, or since when they are to be
 * @returns milliseconds since 1970; undefined for never
 */
export function nextOrderAt(rhythm: OrderRhythm, after: number): number | undefined {
  if (rhythm === 'never') return undefined;
  const at = new Date(after);
  at.setHours(hour, 0, 0, 0);
  const isDue = () =>
    at.getTime() > after &&
    (rhythm === 'day' || (rhythm === 'week' ? at.getDay() === monday : at.getDate() === 1));
  while (!isDue()) at.setDate(at.getDate() + 1);
  return at.getTime();
}
