import { describe, expect, it } from 'vitest';
import type { Apk } from '../formats/apk/apk.ts';
import { copiedApp } from '../testing/apps.ts';
import { BadDescription, describeCopy, parseDescription } from './description.ts';
import { planCopies, type AppContent, type IncomingPart } from './import-plan.ts';

const apk = (name: string, over: Partial<Apk> = {}): AppContent => ({
  kind: 'program',
  apk: {
    package: name,
    label: name.split('.').at(-1)!,
    versionCode: 41,
    abis: [],
    permissions: ['android.permission.CAMERA'],
    duties: [],
    ...over,
  } as Apk,
});
const archive = (uid: number | undefined): AppContent => ({ kind: 'folder', uid });
const file = (path: string, content: AppContent, bytes = 10): IncomingPart => ({ path, bytes, content });
const none = new Map<string, never>();
const briefly = (files: readonly IncomingPart[]) =>
  planCopies(files, none).map(({ app, parts, guess, fault }) => ({
    app: app?.package,
    uid: app?.uid,
    parts: parts.map(({ path, name }) => `${path} as ${name}`),
    ...(guess && { guess }),
    ...(fault && { fault }),
  }));

const phone = { serial: 'S-1', maker: 'Tidewell', model: 'Knot 3', nickname: 'Ringing hut' };
const sha256 = 'ab'.repeat(32);
const description = () =>
  describeCopy(
    {
      createdAt: Date.UTC(2026, 4, 1),
      app: copiedApp('example.tidebook'),
      parts: [
        { name: 'base.apk', kind: 'program', bytes: 10, sha256 },
        { name: 'data.tar', kind: 'data', bytes: 20, sha256 },
      ],
    },
    phone,
  );

describe('files that no description goes with', () => {
  it('are one copy for a program, its splits, and what is packed of its folders beside it', () => {
    expect(
      briefly([
        file('a/Tide.apk', apk('example.tidebook')),
        file('a/en.apk', apk('example.tidebook', { split: 'config.en' })),
        file('a/data.tar.gz', archive(10_061)),
        file('a/obb.tar', archive(undefined)),
      ]),
    ).toEqual([
      {
        app: 'example.tidebook',
        uid: 10_061,
        parts: [
          'a/Tide.apk as base.apk',
          'a/en.apk as split_config.en.apk',
          'a/data.tar.gz as data.tar',
          'a/obb.tar as obb.tar',
        ],
      },
    ]);
  });

  it('go to the app that they are named after where there are several', () => {
    expect(
      briefly([
        file('tide.apk', apk('example.tidebook')),
        file('marsh.apk', apk('example.marshlog')),
        file('example.marshlog-41.tar.zst', archive(10_062)),
        file('data.tar', archive(10_070)),
      ]).map(({ app, parts }) => [app, parts.length]),
    ).toEqual([
      ['example.tidebook', 1],
      ['example.marshlog', 2],
      [undefined, 1],
    ]);
  });

  it('of an archive alone may have its app in their name', () => {
    expect(
      briefly([file('example.tidebook.tgz', archive(10_061)), file('phone.tar', archive(10_061))]),
    ).toEqual([
      {
        app: undefined,
        uid: undefined,
        parts: ['example.tidebook.tgz as data.tar'],
        guess: 'example.tidebook',
      },
      { app: undefined, uid: undefined, parts: ['phone.tar as data.tar'] },
    ]);
  });

  it('cannot be kept without a base, or with two', () => {
    const split = file('en.apk', apk('example.tidebook', { split: 'config.en' }));
    expect(briefly([split])[0]!.fault).toMatch(/only splits of example\.tidebook/);
    const base = (path: string) => file(path, apk('example.tidebook'));
    expect(briefly([base('1.apk'), base('2.apk')])[0]!.fault).toMatch(/there twice/);
    expect(briefly([base('1.apk'), split, { ...split, path: 'de.apk' }])[0]!.fault).toMatch(/there twice/);
  });

  it('of the bundle tool are the splits alone, and what lies beside them is named', () => {
    const tide = apk('example.tidebook');
    const set = [
      file('t.apks/splits/base-master.apk', tide),
      file('t.apks/splits/base-en.apk', apk('example.tidebook', { split: 'config.en' })),
      file('t.apks/standalones/standalone-arm_hdpi.apk', tide),
      file('t.apks/standalones/standalone-x86_hdpi.apk', tide),
      file('t.apks/instant/instant-base-master.apk', tide),
    ];
    const [splits, ...others] = briefly(set);
    expect(splits).toMatchObject({ app: 'example.tidebook', parts: [{}, {}] });
    expect(splits).not.toHaveProperty('fault');
    expect(others).toEqual([
      {
        ...{ app: 'example.tidebook', uid: 0, parts: [] },
        fault:
          'These are whole programs for phones before Android 5. tidebook is taken in from the splits beside them.',
      },
      {
        ...{ app: 'example.tidebook', uid: 0, parts: [] },
        fault:
          'These are programs that are tried without being installed. tidebook is taken in from the splits beside them.',
      },
    ]);
    // Without the splits, or of another version, they are what there is.
    expect(briefly([set[2]!])).toMatchObject([{ parts: [expect.stringContaining('standalone-arm')] }]);
    const newer = file(
      't.apks/standalones/standalone-arm_hdpi.apk',
      apk('example.tidebook', { versionCode: 42 }),
    );
    expect(briefly([...set.slice(0, 2), newer])).toMatchObject([{ parts: [{}, {}] }, { parts: [{}] }]);
  });

  it('of the same app in two versions are two copies', () => {
    expect(
      briefly([
        file('1.apk', apk('example.tidebook')),
        file('2.apk', apk('example.tidebook', { versionCode: 42 })),
      ]),
    ).toHaveLength(2);
  });

  it('say nothing of grants', () => {
    const [copy] = planCopies([file('1.apk', apk('example.tidebook'))], none);
    expect(copy!.app!.permissions).toEqual([]);
  });
});

describe('files with a description', () => {
  const files = [file('x/base.apk', apk('example.tidebook')), file('x/data.tar', archive(10_061), 20)];
  const planned = (some: readonly IncomingPart[]) => planCopies(some, new Map([['x/', description()]]))[0]!;

  it('are what it says they are', () => {
    expect(planned(files)).toMatchObject({
      path: 'x/base.apk',
      app: description().app,
      from: phone,
      copiedAt: Date.UTC(2026, 4, 1),
      parts: [{ sha256 }, { sha256 }],
    });
    expect(planned(files).fault).toBeUndefined();
  });

  it.each<[string, IncomingPart[]]>([
    ['data.tar is missing', [files[0]!]],
    ['data.tar has 19 of 20 bytes', [files[0]!, { ...files[1]!, bytes: 19 }]],
    ['base.apk is no program', [{ ...files[0]!, content: archive(10_061) }, files[1]!]],
    ['a program of another app', [...files, file('x/b.apk', apk('example.other'))]],
    ['base.apk is missing', []],
  ])('do not fit: %s', (words, some) => expect(planned(some).fault).toContain(words));
});

describe('a description', () => {
  it('is read as it was written', () => {
    expect(parseDescription(JSON.stringify(description()))).toEqual(
      JSON.parse(JSON.stringify(description())),
    );
  });

  it('is none where another program wrote it', () => expect(parseDescription('{"a":1}')).toBeUndefined());

  const changed = (change: (value: Record<string, Record<string, unknown>>) => void) => {
    const value = JSON.parse(JSON.stringify(description())) as Record<string, Record<string, unknown>>;
    change(value);
    return () => parseDescription(JSON.stringify(value));
  };
  it.each<[string, (value: Record<string, Record<string, unknown>>) => void]>([
    ['app.package', ({ app }) => (app!['package'] = '../up')],
    ['app.permissions', ({ app }) => (app!['permissions'] = [{ name: 1, granted: true }])],
    ['app.uid', ({ app }) => (app!['uid'] = -1)],
    ['app.certificates', ({ app }) => (app!['certificates'] = ['zz'])],
    [
      'files',
      (value) => (value['files'] = [{ name: '../../x.tar', kind: 'data', bytes: 1, sha256 }] as never),
    ],
    ['files', (value) => (value['files'] = [{ name: 'x.tar', kind: 'soup', bytes: 1, sha256 }] as never)],
    ['phone', (value) => delete value['phone']],
    ['version', (value) => (value['version'] = 2 as never)],
    ['copiedAt', (value) => (value['copiedAt'] = 'yesterday' as never)],
  ])('with a wrong %s says so', (field, change) => {
    expect(changed(change)).toThrow(BadDescription);
    expect(changed(change)).toThrow(`its ${field} is not what it should be`);
  });

  it('that is no JSON says so', () => expect(() => parseDescription('{')).toThrow(/not JSON/));
});
