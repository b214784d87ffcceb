import { existsSync, readFileSync } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { expect, it } from 'vitest';

const root = join(import.meta.dirname, '..');
const rooms = (await readdir(root, { withFileTypes: true })).filter((entry) => entry.isDirectory());
const folders = ['docs', 'docs/decisions'];
const documents = [
  'README.md',
  'CONTRIBUTING.md',
  ...(
    await Promise.all(
      folders.map(async (folder) => (await readdir(join(root, folder))).map((name) => `${folder}/${name}`)),
    )
  ).flat(),
].filter((name) => name.endsWith('.md'));

const isPath = (text: string) =>
  /^[\w./-]+$/.test(text) && rooms.some(({ name }) => text.startsWith(`${name}/`)) && !text.includes('NAME');

it.each(documents)('%s names files that are there', (document) => {
  const text = readFileSync(join(root, document), 'utf8');
  const named = [...text.matchAll(/`([^`\n]+)`/g)].map(([, path]) => path!).filter(isPath);
  const linked = [...text.matchAll(/\]\(([^)#]+)[^)]*\)/g)]
    .map(([, target]) => target!)
    .filter((target) => !target.includes(':'))
    .map((target) => join(dirname(document), target));
  const missing = [...named, ...linked].filter((path) => !existsSync(join(root, path)));
  expect(missing).toEqual([]);
});
