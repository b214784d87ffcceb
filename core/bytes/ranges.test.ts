import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  alignRanges,
  fewerRanges,
  rangesBytes,
  rangesHead,
  rangesTail,
  rangesText,
  rangeWithout,
} from './ranges.ts';

const ranges = [
  { offset: 0, bytes: 10 },
  { offset: 20, bytes: 5 },
  { offset: 100, bytes: 50 },
];

describe('ranges', () => {
  it('are split anywhere into what was read and what is left', () => {
    expect(rangesHead(ranges, 12)).toEqual([
      { offset: 0, bytes: 10 },
      { offset: 20, bytes: 2 },
    ]);
    expect(rangesTail(ranges, 12)).toEqual([
      { offset: 22, bytes: 3 },
      { offset: 100, bytes: 50 },
    ]);
    fc.assert(
      fc.property(fc.nat(80), (at) => {
        const read = Math.min(at, rangesBytes(ranges));
        expect(rangesBytes(rangesHead(ranges, at))).toBe(read);
        expect(rangesBytes(rangesTail(ranges, at))).toBe(rangesBytes(ranges) - read);
      }),
    );
  });

  it('are widened to whole blocks, and joined where they touch', () => {
    expect(alignRanges(ranges, 16, 140)).toEqual([
      { offset: 0, bytes: 32 },
      { offset: 96, bytes: 44 },
    ]);
    expect(alignRanges([], 16, 140)).toEqual([]);
  });

  it('are made fewer over the smallest gaps', () => {
    expect(fewerRanges(ranges, 2)).toEqual([
      { offset: 0, bytes: 25 },
      { offset: 100, bytes: 50 },
    ]);
    expect(fewerRanges(ranges, 3)).toEqual(ranges);
    fc.assert(
      fc.property(
        fc.array(fc.record({ gap: fc.integer({ min: 1, max: 9 }), bytes: fc.integer({ min: 1, max: 9 }) }), {
          minLength: 1,
        }),
        fc.integer({ min: 1, max: 10 }),
        (parts, most) => {
          let at = 0;
          const made = parts.map(({ gap, bytes }) => {
            const offset = at + gap;
            at = offset + bytes;
            return { offset, bytes };
          });
          const fewer = fewerRanges(made, most);
          expect(fewer.length).toBeLessThanOrEqual(most);
          for (const { offset, bytes } of made) {
            expect(
              fewer.some((each) => each.offset <= offset && offset + bytes <= each.offset + each.bytes),
            ).toBe(true);
          }
        },
      ),
    );
  });

  it('are told in words, the first few of them', () => {
    expect(rangesText(ranges, 2)).toBe('bytes 0 to 9, 20 to 24 and 1 more ranges');
  });

  it('are what of one no other one covers', () => {
    expect(rangeWithout({ offset: 5, bytes: 100 }, ranges)).toEqual([
      { offset: 10, bytes: 10 },
      { offset: 25, bytes: 75 },
    ]);
    expect(rangeWithout({ offset: 110, bytes: 10 }, ranges)).toEqual([]);
    expect(rangeWithout({ offset: 30, bytes: 10 }, ranges)).toEqual([{ offset: 30, bytes: 10 }]);
    expect(rangeWithout({ offset: 140, bytes: 20 }, ranges)).toEqual([{ offset: 150, bytes: 10 }]);
  });
});
