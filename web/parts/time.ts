const format = new Intl.RelativeTimeFormat('en', { numeric: 'auto' });

const steps: readonly [Intl.RelativeTimeFormatUnit, number][] = [
  ['year', 365 * 86_400_000],
  ['month', 30 * 86_400_000],
  ['week', 7 * 86_400_000],
  ['day', 86_400_000],
  ['hour', 3_600_000],
  ['minute', 60_000],
];

/** `12 days ago`, `yesterday`, `just now`. */
export function relativeTime(at: number, now: number): string {
  const ms = at - now;
  for (const [unit, length] of steps) {
    if (Math.abs(ms) >= length) return format.format(Math.round(ms / length), unit);
  }
  return 'just now';
}

/** `Tue, 24 Nov 2026, 14:05:09`. */
export const exactTime = (at: number): string =>
  new Date(at).toLocaleString('en-GB', {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
  });

/** `14:05:09`. */
export const clockTime = (at: number): string => new Date(at).toLocaleTimeString('en-GB');

/** `24 Nov 2026`. */
export const exactDay = (at: number): string =>
  new Date(at).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' });
