import { expect, it } from 'vitest';
import { nextOrderAt } from './order-schedule.ts';

const at = (text: string) => new Date(text).getTime();

it.each([
  ['day', '2026-11-29T20:00', '2026-11-30T03:00'],
  ['day', '2026-11-29T02:59', '2026-11-29T03:00'],
  ['day', '2026-11-29T03:00', '2026-11-30T03:00'],
  // A Sunday.
  ['week', '2026-11-29T20:00', '2026-11-30T03:00'],
  ['week', '2026-11-30T03:00', '2026-12-07T03:00'],
  ['month', '2026-11-29T20:00', '2026-12-01T03:00'],
  ['month', '2026-12-01T03:00', '2027-01-01T03:00'],
] as const)('each %s, after %s it is %s', (rhythm, after, next) => {
  expect(nextOrderAt(rhythm, at(after))).toBe(at(next));
});

it('never comes where nobody wants it', () => {
  expect(nextOrderAt('never', 0)).toBeUndefined();
});
