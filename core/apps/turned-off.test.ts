import { expect, it } from 'vitest';
import { sameOff, turnedOffAmong } from './turned-off.ts';

const app = (name: string, over: Partial<Record<'isBuiltIn' | 'isEnabled' | 'isRemoved', boolean>> = {}) => ({
  ...{ package: `example.${name}`, label: name, isBuiltIn: true, isEnabled: true, isRemoved: false },
  ...over,
});

it('what is off is what came with the system and was disabled or removed', () => {
  const apps = [
    app('a', { isEnabled: false }),
    app('b', { isRemoved: true }),
    app('c'),
    app('own', { isBuiltIn: false, isEnabled: false }),
  ];
  expect(turnedOffAmong(apps)).toEqual([
    { package: 'example.a', label: 'a', how: 'disabled' },
    { package: 'example.b', label: 'b', how: 'removed' },
  ]);
});

it('the same is off once what is on here was turned off in the same way', () => {
  const there = turnedOffAmong([
    ...['a', 'b', 'gone', 'off'].map((name) => app(name, { isEnabled: false })),
    ...['c', 'removed'].map((name) => app(name, { isRemoved: true })),
  ]);
  const here = [app('a'), app('b', { isRemoved: true }), app('off', { isEnabled: false })];
  const more = [app('c', { isEnabled: false }), app('removed', { isRemoved: true })];
  expect(sameOff([...here, ...more], there)).toEqual({
    disable: ['example.a'],
    remove: ['example.c'],
    already: ['b', 'off', 'removed'],
    missing: ['gone'],
  });
});
