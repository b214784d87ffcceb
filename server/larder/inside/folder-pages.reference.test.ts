import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { folderPage } from '@keen-larder/contract/inside.ts';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import { testFolder } from '../../../testing/folder.ts';
import { fileSystemTree, tarTree, type FileTree } from './file-trees.ts';

/** A folder of more entries than any page takes, against `ls` of coreutils. */
const files = 4000; // mke2fs takes a minute for 25,000
const folder = testFolder();
const root = join(folder.path, 'root');
let listed: string[];

beforeAll(() => {
  mkdirSync(join(root, 'many', 'a folder among them'), { recursive: true });
  for (let i = 0; i < files; i++) writeFileSync(join(root, 'many', `Record ${(i * 7919) % files}`), '');
  execFileSync('mke2fs', ['-q', '-t', 'ext4', '-N', '30000', '-d', root, join(folder.path, 'ext4'), '64m']);
  execFileSync('tar', ['-cf', join(folder.path, 'tar'), '-C', root, '.']);
  const told = execFileSync('ls', ['-A', join(root, 'many')], { env: { ...process.env, LC_ALL: 'C' } });
  listed = told.toString().trim().split('\n');
});
afterAll(folder.remove);

const image = (name: string) => memorySource(readFileSync(join(folder.path, name)));
const kinds: [string, () => Promise<FileTree>][] = [
  ['ext4', () => fileSystemTree(image('ext4'))],
  ['tar', () => tarTree(image('tar'))],
];

it.each(kinds)('every entry of a large folder stands on one page, by name: %s', async (_kind, open) => {
  const tree = await open();
  const names: string[] = [];
  let count = Infinity;
  while (names.length < count) {
    const page = await tree.list('/many', { from: names.length });
    expect(page.files.length).toBe(Math.min(folderPage, page.count - names.length));
    count = page.count;
    names.push(...page.files.map(({ name }) => name));
  }
  expect(names).toEqual(listed);
  expect((await tree.list('/many', { from: count })).files).toEqual([]);
});

it.each(kinds)(
  'names are found by their letters, folders first where they are few: %s',
  async (_kind, open) => {
    const tree = await open();
    const { files: found, count } = await tree.list('/many', { named: 'A' });
    expect(count).toBe(1);
    expect(found).toMatchObject([{ name: 'a folder among them', kind: 'folder' }]);
    const some = await tree.list('/many', { named: 'record 1234' });
    expect(some.files.map(({ name }) => name)).toEqual(listed.filter((name) => name.includes('Record 1234')));
  },
);
