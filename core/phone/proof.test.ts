import { describe, expect, it } from 'vitest';
import type { Condition } from './facts.ts';
import { appsIn, compareReturn, type PutBack, type ReturnFacts } from './proof.ts';

const condition: Condition = {
  kind: 'rooted',
  androidVersion: '9',
  build: 'TideOS 9 TW3.260301.004',
  patchLevel: '2026-03-05',
  bootloaderUnlocked: true,
  encrypted: false,
  hasImei: true,
};
const apps = new Map<string, number | undefined>([
  ['example.marshlog', 41],
  ['example.tidebook', 40],
]);
const all: PutBack = { system: true, userData: true };
const row = (what: string, ...given: Parameters<typeof compareReturn>) =>
  compareReturn(...given).find((each) => each.what === what)!;

describe('what returned', () => {
  it('is all the same on a phone that is as it was', () => {
    const rows = compareReturn({ condition, apps }, { condition, apps }, all);
    expect(new Set(rows.map(({ result }) => result))).toEqual(new Set(['same']));
    expect(rows.find(({ what }) => what === 'Apps')).toMatchObject({ kept: '2 apps', now: '2 apps' });
  });

  it('differs without a reason where it was put back, and with one where it was not', () => {
    const older = { condition: { ...condition, build: 'TideOS 9 TW3.260105.002' }, apps };
    expect(row('Firmware', { condition, apps }, older, all)).toMatchObject({ result: 'different' });
    const partly = row('Firmware', { condition, apps }, older, { system: false, userData: true });
    expect(partly).toMatchObject({ result: 'expected', reason: 'The system was not put back.' });
  });

  it('names apps that are missing, new, or in another version', () => {
    const now = new Map<string, number | undefined>([
      ['example.ferrytimes', 3],
      ['example.tidebook', 38],
    ]);
    const found = row('Apps', { condition, apps }, { condition, apps: now }, all);
    expect(found.result).toBe('different');
    expect(found.reason).toBe(
      'missing: example.marshlog; not in the set: example.ferrytimes; in another version: example.tidebook 38 instead of 40',
    );
    const kept = row('Apps', { condition, apps }, { condition, apps: now }, { ...all, userData: false });
    expect(kept).toMatchObject({
      result: 'expected',
      reason: expect.stringMatching(/not put back/) as string,
    });
  });

  it('calls apps neither different nor the same whose version one side does not tell', () => {
    const untold = new Map([...apps.keys()].map((name) => [name, undefined]));
    expect(row('Apps', { condition, apps }, { condition, apps: untold }, all)).toMatchObject({
      result: 'unknown',
      reason: 'of 2 of them the version is not told',
    });
    expect(row('Apps', { condition, apps: undefined }, { condition, apps }, all).result).toBe('unknown');
  });
});

it('never calls an IMEI the same that was not known', () => {
  const imei = (kept?: boolean, now?: boolean) =>
    row(
      'IMEI',
      { condition: { kind: 'stock', ...(kept !== undefined && { hasImei: kept }) } },
      { condition: { kind: 'stock', ...(now !== undefined && { hasImei: now }) } },
      all,
    ).result;
  expect(imei(true, true)).toBe('same');
  expect(imei(undefined, true)).toBe('unknown');
  expect(imei(true, undefined)).toBe('unknown');
  expect(imei(false, true)).toBe('expected');
  expect(imei(true, false)).toBe('different');
  expect(imei(undefined, false)).toBe('different');
});

it('apps are read from both lists of a system', () => {
  const list =
    'example.tidebook 10061 0 /data/user/0/example.tidebook default none\nexample.marshlog 10062 0 /x\n';
  const xml =
    '<packages>\n<package name="example.tidebook" codePath="/data/app/a-1" version="40" userId="10061" />';
  expect([...appsIn(list, xml)]).toEqual([
    ['example.marshlog', undefined],
    ['example.tidebook', 40],
  ]);
  expect([...appsIn(list, undefined).values()]).toEqual([undefined, undefined]);
});

it('counts personal records by kind, where both could be read', () => {
  const facts = (records: [string, number][] | undefined): ReturnFacts => ({
    condition: { kind: 'stock' },
    ...(records && { records: new Map(records) }),
  });
  const rows = (kept: ReturnFacts, now: ReturnFacts, userData = true) =>
    compareReturn(kept, now, { system: true, userData }).flatMap(({ what, result }) =>
      ['Contacts', 'Messages'].includes(what) ? [`${what} ${result}`] : [],
    );
  const kept = facts([
    ['Contacts', 7],
    ['Messages', 3],
  ]);
  expect(rows(kept, kept)).toEqual(['Contacts same', 'Messages same']);
  expect(rows(kept, facts([['Contacts', 7]]))).toEqual(['Contacts same', 'Messages different']);
  expect(rows(kept, facts([['Contacts', 6]]), false)).toEqual(['Contacts expected', 'Messages expected']);
  expect(rows(kept, facts(undefined))).toEqual([]);
  const unread: ReturnFacts = { ...kept, records: new Map([['Contacts', undefined]]) };
  expect(rows(kept, unread)).toEqual(['Contacts unknown', 'Messages different']);
});
