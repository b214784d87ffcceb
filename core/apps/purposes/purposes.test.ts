import { describe, expect, it } from 'vitest';
import { appFacts } from '../../testing/apps.ts';
import { patternText, plansFor, purposeOf, type Purpose } from './purposes.ts';

const purpose = (pattern: string, over: Partial<Purpose> = {}): Purpose => ({
  ...{ pattern, kind: 'Adverts', purpose: 'Shows adverts.', dependents: '', certainty: 'likely' },
  ...over,
});

describe('what pre-installed apps are for', () => {
  it.each([
    ['example.ferry.times', 'example.ferry.times'],
    ['example.ferry.map', 'example.ferry.*'],
    ['example.other', 'example.*'],
    ['examples', undefined],
    ['other.ferry', undefined],
  ])('of %s is told by %s', (name, pattern) => {
    const known = ['example.*', 'example.ferry.*', 'example.ferry.times'].map((each) => purpose(each));
    expect(purposeOf(name, known)?.pattern).toBe(pattern);
    expect(purposeOf(name, known.reverse())?.pattern).toBe(pattern);
  });

  it.each([
    ['example.ferry', true],
    ['example.ferry.*', true],
    ['example.fer*', true],
    ['*', false],
    ['example.*.times', false],
    ['exa mple', false],
    ['', false],
  ])('is kept for patterns such as %j: %s', (text, is) => expect(patternText.test(text)).toBe(is));

  it('makes plans of what is on and not needed', () => {
    const builtIn = { isBuiltIn: true };
    const apps = [
      appFacts('ferrytimes', builtIn),
      appFacts('shorenews', { ...builtIn, isEnabled: false }),
      appFacts('almanac', { ...builtIn, isRemoved: true }),
      appFacts('home', { ...builtIn, duties: ['home'] }),
      appFacts('tidebook'),
      appFacts('unknown', builtIn),
    ];
    const known = [
      ...['ferrytimes', 'shorenews', 'almanac', 'tidebook'].map((name) => purpose(`example.${name}`)),
      purpose('example.home', { kind: 'Core' }),
    ];
    expect(plansFor(apps, known)).toMatchObject([
      { kind: 'Adverts', apps: [{ package: 'example.ferrytimes' }], needed: [], off: 2 },
      { kind: 'Core', apps: [], needed: [expect.any(String)], off: 0 },
    ]);
  });
});
