import { expect, it } from 'vitest';
import { compareApps, type ComparedApp } from './apps.ts';

const app = (name: string, over: Partial<ComparedApp> = {}): ComparedApp => ({
  package: `example.${name}`,
  label: name,
  versionCode: 10,
  granted: new Set(['CAMERA']),
  folders: [`/data/example.${name}`, `/user_de/0/example.${name}`],
  ...over,
});

it('leaves out what is the same, and tells version, grants and data apart', () => {
  const before = [app('same'), app('newer'), app('granted'), app('used'), app('gone'), app('silent')];
  const after = [
    app('same'),
    app('newer', { versionCode: 11, versionName: '1.1' }),
    app('granted', { granted: new Set(['LOCATION']) }),
    app('used'),
    app('came'),
    app('silent', { granted: undefined }),
  ];
  const differing = [
    '/data/example.used/databases/notes.db',
    '/user_de/0/example.used',
    '/data/example.used2/x',
    '/data/app/example.same-1/base.apk',
    '/system/packages.xml',
  ];
  const found = compareApps(before, after, differing);
  expect(found.map(({ package: name, state }) => [name, state])).toEqual([
    ['example.came', 'added'],
    ['example.gone', 'gone'],
    ['example.granted', 'changed'],
    ['example.newer', 'changed'],
    ['example.used', 'changed'],
  ]);
  const of = (name: string) => found.find((each) => each.package === `example.${name}`);
  expect(of('granted')).toMatchObject({ gained: ['LOCATION'], lost: ['CAMERA'], changedFiles: 0 });
  expect(of('newer')).toMatchObject({
    before: { versionCode: 10 },
    after: { versionCode: 11, versionName: '1.1' },
  });
  expect(of('used')).toMatchObject({ changedFiles: 2, gained: [], lost: [] });
  expect(of('came')).toMatchObject({ before: undefined, after: { versionCode: 10 } });
});

it('is nothing where nothing differs', () => {
  expect(compareApps([app('a')], [app('a')], ['/data/system/x'])).toEqual([]);
});
