import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { composeLabel, dayText, fileNameOf, nextFreeLabel } from './label.ts';

describe('labels', () => {
  it('say model, condition, purpose and a day that cannot be misread', () => {
    const facts = {
      model: 'Knot 3',
      nickname: 'Ringing hut',
      serial: 'TW3K-10482',
      condition: { kind: 'rooted', androidVersion: '9' } as const,
      purpose: ' before flash ',
      at: new Date('2026-11-24T23:30:00Z'),
    };
    expect(composeLabel({ ...facts, utcOffsetMinutes: 0 })).toBe(
      'Knot 3 Ringing hut · rooted 9 · before flash · 24 Nov 2026',
    );
    expect(composeLabel({ ...facts, purpose: '', utcOffsetMinutes: 60 })).toBe(
      'Knot 3 Ringing hut · rooted 9 · 25 Nov 2026',
    );
    const unnamed = { ...facts, nickname: 'Knot 3', utcOffsetMinutes: 0 };
    expect(composeLabel(unnamed)).not.toBe(composeLabel({ ...unnamed, serial: 'TW3K-10517' }));
    expect(dayText(new Date('2026-01-01T00:10:00Z'), -60)).toBe('31 Dec 2025');
  });

  it('find the next free number', () => {
    expect(nextFreeLabel('a', [])).toBe('a');
    expect(nextFreeLabel('a', ['a', 'a (2)'])).toBe('a (3)');
    expect(nextFreeLabel('a (2)', ['a (2)'])).toBe('a (3)');
  });

  it('become file names that stay inside their folder', () => {
    expect(fileNameOf('Knot 3 · rooted 9 · 24 Nov 2026')).toBe('Knot 3 rooted 9 24 Nov 2026');
    expect(fileNameOf('../../etc')).toBe('etc');
    expect(fileNameOf('···')).toBe('set');
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 200 }), (label) => {
        const name = fileNameOf(label);
        return (
          name.length > 0 && name.length <= 100 && !/[/\\\0]/.test(name) && name !== '.' && name !== '..'
        );
      }),
    );
  });
});
