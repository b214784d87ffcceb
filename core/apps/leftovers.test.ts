import { describe, expect, it } from 'vitest';
import {
  isWorthKeeping,
  leftComponents,
  leftoversOf,
  packageOfFolder,
  type FoundFolder,
  type InstalledName,
  type LeftoverNote,
} from './leftovers.ts';

const MiB = 1 << 20;
const found = (kind: FoundFolder['kind'], path: string, uid?: number, bytes = MiB): FoundFolder => ({
  ...{ kind, path, uid, bytes },
});
const tidebook: InstalledName = {
  ...{ package: 'example.tidebook', label: 'Tidebook', uid: 10_061 },
  paths: ['/data/app/~~c3VwZXI0ODIxMTIzNDU2Nw==/example.tidebook-b2RkMTIzNDU2Nzg5MDEyMw==/base.apk'],
};

describe('folders of apps', () => {
  // Forms of AOSP's getNextCodePath, of Android 7, 8 to 10, and 11 on (public source).
  it.each([
    ['/data/app/example.old-1', 'example.old'],
    ['/data/app/example.old-b2RkMTIzNDU2Nzg5MDEyMw==', 'example.old'],
    ['/data/app/~~c3VwZXI0ODIxMTIzNDU2Nw==/example.old-b2RkMTIzNDU2Nzg5MDEyMw==', 'example.old'],
    ['/data/app/vmdl1836.tmp', undefined],
    ['/data/app/example.old', undefined],
    ['/data/app/lib-1', undefined],
  ])('of programs, %s is of %s', (path, name) => {
    expect(packageOfFolder('program', path)).toBe(name);
  });

  it('on shared storage are those that are called as apps are', () => {
    expect(packageOfFolder('external', '/data/media/0/Android/data/example.old')).toBe('example.old');
    for (const name of ['.nomedia', 'Music', 'a b.c', '1example.old', 'example..old'])
      expect(packageOfFolder('external', `/data/media/0/Android/data/${name}`), name).toBeUndefined();
  });
});

describe('what apps left', () => {
  it('is told by app, the largest first, with how one knows', () => {
    const left = leftoversOf(
      [
        found('data', '/data/user/0/example.tidebook', 10_061),
        found('external', '/data/media/0/Android/data/example.sand', 10_099, 5),
        found('data', '/data/user/0/example.old', 10_088),
        found('device-data', '/data/user_de/0/example.old', 10_088),
        found('media', '/data/media/0/Android/media/example.old'),
        found('data', '/data/user/0/example.reused', 10_061, 7),
        found('program', '/data/app/example.half-1', 1000, 9),
      ],
      [tidebook],
    );
    expect(left.map((each) => [each.package, each.bytes, each.isCertain])).toEqual([
      ['example.old', 3 * MiB, true],
      ['example.half', 9, true],
      ['example.reused', 7, true],
      ['example.sand', 5, false],
    ]);
    expect(left.map(({ why }) => why)).toEqual([
      'The package manager knows no example.old; its folder belongs to the id 10088, which no app has now.',
      'The package manager knows no example.half; the system alone makes such folders.',
      'The package manager knows no example.reused; its folder belongs to the id 10061, which Tidebook has now.',
      'No app of that name is installed. On shared storage another app or a person may have made the folder.',
    ]);
  });

  it('is nothing of the platform, whatever the package manager lists', () => {
    const platform = ['com.android.providers.contacts', 'com.android.settings', 'android.ext.services'];
    const folders = platform.map((name) => found('data', `/data/user/0/${name}`, 10_002));
    expect(leftoversOf([...folders, found('data', '/data/user/0/example.radio', 1001)], [tidebook])).toEqual(
      [],
    );
  });

  it('of an app that is installed is only a program that does not run', () => {
    const of = (path: string) => leftoversOf([found('program', path, 1000)], [tidebook]);
    expect(of('/data/app/~~c3VwZXI0ODIxMTIzNDU2Nw==/example.tidebook-b2RkMTIzNDU2Nzg5MDEyMw==')).toEqual([]);
    expect(of('/data/app/example.tidebook-1')[0]?.why).toMatch(/^Tidebook is installed from another folder/);
  });

  it('in the system’s own lists is told, and certain', () => {
    const setting: LeftoverNote = {
      ...{ kind: 'setting', setting: 'autofill_service', user: 0 },
      component: 'example.old/example.old.Forms',
    };
    const entry: LeftoverNote = { kind: 'entry', uid: 10_070 };
    const left = leftoversOf(
      [found('external', '/data/media/0/Android/data/example.old', 10_099, 5)],
      [tidebook],
      new Map([
        ['example.old', [setting]],
        ['example.kept', [entry]],
        ['com.android.odd', [entry]],
      ]),
    );
    expect(left.map((each) => [each.package, each.bytes, each.uid, each.isCertain, each.why])).toEqual([
      [
        ...(['example.old', 5, undefined, true] as const),
        'The package manager knows no example.old; settings of the system name it still.',
      ],
      [
        ...(['example.kept', 0, 10_070, true] as const),
        'No user has example.kept; it was removed with its data kept, and the package manager keeps the id 10070 for it.',
      ],
    ]);
    expect(left.map(isWorthKeeping)).toEqual([true, false]);
  });

  it('in a setting are components of what is not installed, and of no part of the platform', () => {
    const here = new Set(['example.tidebook']);
    const value = 'example.tidebook/.A:example.old/.Forms:com.android.talk/.B:odd:/x:null';
    expect(leftComponents(value, here)).toEqual(['example.old/example.old.Forms']);
    expect(leftComponents('', here)).toEqual([]);
  });
});
