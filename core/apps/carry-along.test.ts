import { describe, expect, it } from 'vitest';
import { copiedApp } from '../testing/apps.ts';
import { carryAlongSheet, mostCarriedBytes, planOf } from './carry-along.ts';
import type { AppCopy, CopiedApp, PartKind } from './copies.ts';

const part = (name: string, kind: PartKind, bytes = 1 << 20) => ({
  name,
  kind,
  bytes,
  sha256: 'ab'.repeat(32),
});
const copy = (name: string, over: Partial<CopiedApp> = {}, parts = [part('base.apk', 'program')]) => ({
  ...{ id: name, serial: 'TW3K-10482', createdAt: 0, model: 'Knot 3', isDamaged: false, parts },
  app: copiedApp(`example.${name}`, { label: name, uid: 10_061, sdk: 28, ...over }),
});
const stops = (...copies: Parameters<typeof carryAlongSheet>[0]) =>
  carryAlongSheet(copies)
    .checks.filter(({ severity }) => severity === 'stop')
    .map(({ sentence }) => sentence);

describe('what may be carried along in one archive', () => {
  it('is counted, with the newest Android that any of it is of', () => {
    expect(
      carryAlongSheet([copy('one'), copy('two', { sdk: 30 }, [part('data.tar', 'data')])]),
    ).toMatchObject({
      model: 'Knot 3',
      sdk: 30,
      bytes: 2 << 20,
      apps: 2,
      withProgram: 1,
      checks: [
        { id: 'data-without-program', severity: 'note', sentence: expect.stringMatching(/^two: /) as string },
      ],
    });
  });

  it('is stopped, naming the app and the reason', () => {
    expect(stops()).toEqual(['Pick copies of apps in the list.']);
    expect(stops(copy('one'), { ...copy('two'), model: 'Knot 5' })).toEqual([
      'Knot 3 and Knot 5: an archive is for one model.',
    ]);
    expect(stops(copy('one'), copy('one'))).toEqual(['one: pick one copy of each app.']);
    expect(stops({ ...copy('one'), isDamaged: true })[0]).toMatch(/^one: .*damaged/);
    expect(stops(copy('one', { uid: 1_010_061 }))[0]).toMatch(/^one: it is not of the phone’s owner/);
    expect(stops(copy('one', { uid: 1001 }))[0]).toMatch(/^one: its data belongs to one build/);
    expect(stops(copy('one', { sdk: undefined }))[0]).toMatch(/^one: .*Copy it again/);
    expect(stops(copy('one', {}, [part('base.apk', 'program', mostCarriedBytes + 1)]))[0]).toMatch(
      /3.94 GiB at most\. Make several\.$/,
    );
  });

  it('says what will not open elsewhere', () => {
    const bound = carryAlongSheet([copy('one', { hasHardwareKeys: true }, [part('data.tar', 'data')])]);
    expect(bound.checks.map(({ id }) => id)).toEqual(['data-without-program', 'hardware-keys']);
  });
});

it('the plan has a line for each thing, whatever a label has in it', () => {
  const one: AppCopy = copy(
    'one',
    {
      label: 'A\nlabel\twith $(odd) things ',
      permissions: [
        { name: 'android.permission.CAMERA', granted: true },
        { name: 'android.permission.INTERNET', granted: false },
        { name: 'a b', granted: true },
      ],
    },
    [part('base.apk', 'program'), part('obb.tar', 'obb')],
  );
  const programs = [{ member: 'carry/1/base.apk', name: 'base.apk', sha256: 'cd' }];
  const folders = [{ kind: 'obb' as const, member: 'carry/1/obb.tar', sum: 'ef' }];
  expect(planOf([{ copy: one, programs, folders }], 'Knot 3').split('\n')).toEqual([
    'model Knot 3',
    'sdk 28',
    'kib 18535',
    'app 1 example.one 41 1 A label with $(odd) things',
    'program 1 carry/1/base.apk base.apk cd',
    'grant 1 android.permission.CAMERA',
    'part 1 carry/1/obb.tar media/0/Android/obb/example.one shared ef 10061',
    '',
  ]);
});
