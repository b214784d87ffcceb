import { describe, expect, it } from 'vitest';
import { appFacts } from '../testing/apps.ts';
import type { PhoneFacts } from '../phone/facts.ts';
import { changingSheet } from '../runsheet/apps/changing.ts';
import { applies, needOf, sameOff, turnedOffAmong, type AppAction } from './built-in.ts';

const builtIn = (name: string, over: Parameters<typeof appFacts>[1] = {}) =>
  appFacts(name, { isBuiltIn: true, duties: ['launcher'], ...over });
const home = builtIn('home', { duties: ['home'] });
const otherHome = builtIn('otherhome', { duties: ['home'] });
const almanac = builtIn('almanac');
const settings = builtIn('tide.settings', { sharedUserId: 'android.uid.system' });
const sharer = builtIn('sharer', { sharedUserId: 'android.uid.system' });

describe('how much a phone needs an app', () => {
  it.each([
    ['the only home screen', home, [home, almanac], 'needed', /only home screen/],
    ['one of two home screens', home, [home, otherHome], 'depended-on', /another one is there/],
    [
      'one of two, the other off',
      home,
      [home, { ...otherHome, isEnabled: false }],
      'needed',
      /only home screen/,
    ],
    ['what the list names', settings, [settings], 'needed', /Nothing could be set/],
    [
      'what shares its user',
      sharer,
      [sharer, settings],
      'depended-on',
      /shares its user with Tide\.settings/,
    ],
    ['nothing special', almanac, [almanac, home], 'none', /Nothing is known/],
  ] as const)('%s', (_what, app, all, risk, why) => {
    const need = needOf(app, all);
    expect(need.risk).toBe(risk);
    expect(need.why).toMatch(why);
  });
});

describe('the run sheet of changing apps', () => {
  const phone: PhoneFacts = {
    serial: 'X-1',
    maker: 'Tidewell',
    model: 'Knot 3',
    mode: 'system',
    root: false,
    abis: [],
    condition: { kind: 'stock' },
  };
  const installed = [
    home,
    almanac,
    sharer,
    settings,
    builtIn('off', { isEnabled: false }),
    appFacts('tidebook'),
  ];
  const checks = (name: string, action: AppAction, copied: string[] = []) =>
    Object.fromEntries(
      changingSheet({
        phone,
        installed,
        picked: [`example.${name}`],
        action,
        copied: new Set(copied),
      }).checks.map(({ id, severity }) => [id, severity]),
    );

  it.each([
    ['what the phone needs', 'home', 'disable', ['example.home'], { 'built-in-removal': 'stop' }],
    ['what is not kept', 'almanac', 'remove', [], { 'copy-first': 'stop' }],
    ['what is kept', 'almanac', 'remove', ['example.almanac'], {}],
    ['what something depends on', 'sharer', 'disable', ['example.sharer'], { 'built-in-removal': 'confirm' }],
    ['the owner’s own', 'tidebook', 'remove', ['example.tidebook'], { 'will-wipe': 'confirm' }],
    ['turning on again', 'off', 'enable', [], {}],
  ] as const)('%s', (_what, name, action, copied, expected) => {
    expect(checks(name, action, [...copied])).toEqual({ 'can-be-undone': 'good', ...expected });
  });

  it('wants a tick for what the workshop knows to miss it, with how sure that is', () => {
    const dependents = 'The date on the home screen opens nothing any more.';
    const purposes = [
      {
        pattern: 'example.almanac',
        kind: 'Extras',
        purpose: 'Tides.',
        dependents,
        certainty: 'likely' as const,
      },
    ];
    const sheet = (action: AppAction, known = purposes) =>
      changingSheet({
        ...{ phone, installed, action, purposes: known },
        picked: ['example.almanac'],
        copied: new Set(['example.almanac']),
      }).checks.find(({ id }) => id === 'built-in-removal');
    expect(sheet('disable')).toMatchObject({
      severity: 'confirm',
      sentence: expect.stringContaining(`${dependents} (likely so)`),
    });
    expect(sheet('disable', [{ ...purposes[0]!, dependents: '' }])).toBeUndefined();
  });

  it('wants a tick where taking an update back takes it from other users as well', () => {
    const updated = builtIn('almanac', { codePath: '/data/app/example.almanac-1' });
    const ids = (otherUsers: number[]) =>
      changingSheet({
        ...{ phone, action: 'take-back-update', picked: ['example.almanac'] },
        installed: [{ ...updated, otherUsers }],
        copied: new Set(['example.almanac']),
      }).checks.flatMap(({ id, severity }) => (severity === 'confirm' ? [id] : []));
    expect(ids([])).toEqual(['will-wipe']);
    expect(ids([10])).toEqual(['will-wipe', 'shared-program']);
  });

  it('stops where nothing would change', () => {
    expect(checks('off', 'disable')).toEqual({ 'nothing-picked': 'stop' });
    expect(checks('almanac', 'bring-back')).toEqual({ 'nothing-picked': 'stop' });
    expect(applies('bring-back', builtIn('gone', { isRemoved: true }))).toBe(true);
  });
});

const offOr = (
  name: string,
  over: Partial<Record<'isBuiltIn' | 'isEnabled' | 'isRemoved', boolean>> = {},
) => ({
  ...{ package: `example.${name}`, label: name, isBuiltIn: true, isEnabled: true, isRemoved: false },
  ...over,
});

it('what is off is what came with the system and was disabled or removed', () => {
  const apps = [
    offOr('a', { isEnabled: false }),
    offOr('b', { isRemoved: true }),
    offOr('c'),
    offOr('own', { isBuiltIn: false, isEnabled: false }),
  ];
  expect(turnedOffAmong(apps)).toEqual([
    { package: 'example.a', label: 'a', how: 'disabled' },
    { package: 'example.b', label: 'b', how: 'removed' },
  ]);
});

it('the same is off once what is on here was turned off in the same way', () => {
  const there = turnedOffAmong([
    ...['a', 'b', 'gone', 'off'].map((name) => offOr(name, { isEnabled: false })),
    ...['c', 'removed'].map((name) => offOr(name, { isRemoved: true })),
  ]);
  const here = [offOr('a'), offOr('b', { isRemoved: true }), offOr('off', { isEnabled: false })];
  const more = [offOr('c', { isEnabled: false }), offOr('removed', { isRemoved: true })];
  expect(sameOff([...here, ...more], there)).toEqual({
    disable: ['example.a'],
    remove: ['example.c'],
    already: ['b', 'off', 'removed'],
    missing: ['gone'],
  });
});
