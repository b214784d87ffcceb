import { expect, it } from 'vitest';
import { whyDue } from './due.ts';

const day = 86_400_000;
const march = { build: 'TideOS 9 TW3.260301.004', fingerprint: 'tidewell/knot3:9/1' };
const april = { build: 'TideOS 9 TW3.260401.001', fingerprint: 'tidewell/knot3:9/2' };

it('a phone is due some days after it was kept, and when its firmware is another one', () => {
  const facts = { keptAt: 0, kept: march, now: march };
  expect(whyDue(facts, 7, 6.9 * day)).toBeUndefined();
  expect(whyDue(facts, 7, 7 * day)).toBe('kept 7 days ago');
  expect(whyDue(facts, 30, 29 * day)).toBeUndefined();
  expect(whyDue({ ...facts, now: april }, 7, day)).toBe('its firmware changed since');
});

it('says nothing of what is not known', () => {
  expect(whyDue({ keptAt: undefined, kept: undefined, now: march }, 7, 99 * day)).toBeUndefined();
  expect(whyDue({ keptAt: 0, kept: {}, now: april }, 7, day)).toBeUndefined();
  expect(whyDue({ keptAt: 0, kept: march, now: undefined }, 7, day)).toBeUndefined();
  expect(whyDue({ keptAt: 0, kept: { build: march.build }, now: april }, 7, day)).toBe(
    'its firmware changed since',
  );
});
