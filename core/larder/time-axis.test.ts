import fc from 'fast-check';
import { expect, it } from 'vitest';
import { firstFrom, lanesOf, marksBetween, wholeTime, zoomed, type AxisEvent } from './time-axis.ts';

const event = (at: number, serial = 'A', kind: AxisEvent['kind'] = 'set'): AxisEvent => ({
  id: `${serial} ${kind} ${at}`,
  serial,
  at,
  kind,
  title: `${at}`,
});

it('has a lane for every phone, that with the newest first, and the course of its condition', () => {
  const lanes = lanesOf(
    [event(5), event(1), event(9, 'B'), event(2, 'C')],
    [
      { serial: 'A', at: 1, kind: 'stock' },
      { serial: 'A', at: 3, kind: 'stock' },
      { serial: 'A', at: 5, kind: 'rooted' },
    ],
    20,
  );
  expect(lanes.map(({ serial }) => serial)).toEqual(['B', 'A', 'C']);
  expect(lanes[1]!.events.map(({ at }) => at)).toEqual([1, 5]);
  expect(lanes[1]!.spans).toEqual([
    { kind: 'stock', from: 1, until: 5 },
    { kind: 'rooted', from: 5, until: 20 },
  ]);
  expect(lanes[0]!.spans).toEqual([]);
});

it('draws what is close as one mark, each kind by itself', () => {
  const events = [event(0), event(1), event(2, 'A', 'copy'), event(3), event(30), event(31, 'A', 'copy')];
  const marks = marksBetween(events, 1, 30, 5);
  expect(marks.map(({ kind, events: own }) => `${kind} ${own.length}`)).toEqual(['set 2', 'copy 1', 'set 1']);
});

const times = fc.array(fc.integer({ min: 0, max: 10_000 }), { maxLength: 200 });
it('draws every event in sight once, and never two marks of a kind closer than they may be', () => {
  fc.assert(
    fc.property(
      times,
      fc.nat(10_000),
      fc.nat(10_000),
      fc.integer({ min: 1, max: 500 }),
      (all, a, b, least) => {
        const events = all.sort((x, y) => x - y).map((at, i) => ({ ...event(at), id: `${i}` }));
        const [from, until] = [Math.min(a, b), Math.max(a, b)];
        const marks = marksBetween(events, from, until, least);
        expect(marks.flatMap((mark) => mark.events.map(({ id }) => id))).toEqual(
          events.filter(({ at }) => at >= from && at <= until).map(({ id }) => id),
        );
        for (const [i, mark] of marks.entries())
          if (i > 0) expect(mark.from - marks[i - 1]!.until).toBeGreaterThanOrEqual(least);
        expect(firstFrom(events, from)).toBe(events.filter(({ at }) => at < from).length);
      },
    ),
  );
});

it('shows all of time, and zooms about a moment without leaving it', () => {
  const now = 1_700_000_000_000;
  const whole = wholeTime([event(now - 1e10)], now);
  expect(whole[0]).toBeLessThan(now - 1e10);
  expect(whole[1]).toBeGreaterThan(now);
  const about = now - 5e9;
  const near = zoomed(whole, about, 0.5, whole);
  expect(near[1] - near[0]).toBeCloseTo((whole[1] - whole[0]) / 2, -3);
  expect((about - near[0]) / (near[1] - near[0])).toBeCloseTo((about - whole[0]) / (whole[1] - whole[0]), 6);
  expect(zoomed(near, about, 10, whole)).toEqual(whole);
  const [from, until] = zoomed(near, about, 1e-12, whole);
  expect(until - from).toBe(60_000);
});
