import { describe, expect, it } from 'vitest';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { manyPrograms } from '@keen-larder/standin/firmware/programs.ts';
import { findApps, pickApps } from './apps-inside.ts';
import type { UserData } from './user-data.ts';

const programOf = (name: string, i: number) => manyPrograms(name, i, 5000);
const files: Readonly<Record<string, Uint8Array>> = {
  '/app/example.tidebook-1/base.apk': programOf('example.tidebook', 1),
  '/app/example.tidebook-1/split_sounds.apk': programOf('example.tidebook', 1),
  '/app/~~r4nd-om==/example.ringcode-x-y==/base.apk': programOf('example.ringcode', 2),
  // Nothing says that a folder must be named after its package.
  '/app/example.other-1/base.apk': programOf('example.marshlog', 3),
  '/app/example.broken-1/base.apk': new Uint8Array(300),
  '/data/example.tidebook/notes.db': new Uint8Array(10),
  '/system/packages.list': new TextEncoder().encode(
    ['tidebook', 'ringcode', 'marshlog', 'broken']
      .map((name, i) => `example.${name} ${10_001 + i} 0 /data/user/0/example.${name}\n`)
      .join(''),
  ),
};

/** User data that tells which files were opened. */
function userData() {
  const opened: string[] = [];
  const data: UserData = {
    names(folder) {
      const below = Object.keys(files).filter((path) => path.startsWith(`${folder}/`));
      const names = new Set(below.map((path) => path.slice(folder.length + 1).split('/')[0]!));
      return Promise.resolve([...names].map((name) => ({ name, isFolder: !(`${folder}/${name}` in files) })));
    },
    file(path) {
      const bytes = files[path];
      if (bytes) opened.push(path);
      return Promise.resolve(bytes && { bytes: bytes.length, source: memorySource(bytes) });
    },
    archive: () => {
      throw new Error('nothing is taken here');
    },
  };
  return { data, opened };
}

describe('Apps in user data', () => {
  it('are those whose programs can be read, wherever a version of Android has put them', async () => {
    const found = await findApps(userData().data);
    expect(
      found.map(({ app, programs, folders }) => [app.package, app.uid, programs.length, folders.length]),
    ).toEqual([
      ['example.marshlog', 10_003, 1, 0],
      ['example.ringcode', 10_002, 1, 0],
      ['example.tidebook', 10_001, 2, 1],
    ]);
  });

  it('are picked in the order of asking, and programs of others are not opened', async () => {
    const { data, opened } = userData();
    const picked = await pickApps(data, ['example.tidebook', 'example.ringcode']);
    expect(picked.map(({ app }) => app.package)).toEqual(['example.tidebook', 'example.ringcode']);
    expect(opened.join()).not.toMatch(/other|broken/);
  });

  it('are found in a folder of another name as well, and named when they are nowhere', async () => {
    const { data } = userData();
    const picked = await pickApps(data, ['example.marshlog', 'example.tidebook']);
    expect(picked.map(({ programs: [base] }) => base!.path)).toEqual([
      '/app/example.other-1/base.apk',
      '/app/example.tidebook-1/base.apk',
    ]);
    await expect(pickApps(data, ['example.tidebook', 'example.gone'])).rejects.toThrow(
      'example.gone is not among its apps.',
    );
  });
});
