// No file imports, by whatever way, a file that imports it: of types neither.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';
import { expect, it } from 'vitest';

const root = join(import.meta.dirname, '..');
const specifier = /(?:from|import)\s*\(?\s*'([^'\n]+)'/g;

const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard', '*.ts', '*.vue', '*.mjs'], {
  cwd: root,
  encoding: 'utf8',
})
  .split('\n')
  .filter((file) => file && !/\.test\.ts$/.test(file));

/** What a file imports of the house. */
function importsOf(file: string): string[] {
  let text: string;
  try {
    text = readFileSync(join(root, file), 'utf8');
  } catch {
    return [];
  }
  return [...text.matchAll(specifier)].flatMap(([, to]) => {
    const path = to!.startsWith('.')
      ? normalize(join(dirname(file), to!))
      : to!.startsWith('@keen-larder/')
        ? to!.slice('@keen-larder/'.length)
        : undefined;
    return path !== undefined && known.has(path) ? [path] : [];
  });
}
const known = new Set(files);

/** A way from a file back to itself; undefined where there is none. */
function circle(graph: ReadonlyMap<string, readonly string[]>): string[] | undefined {
  const done = new Set<string>();
  const way: string[] = [];
  const walk = (file: string): string[] | undefined => {
    const at = way.indexOf(file);
    if (at >= 0) return [...way.slice(at), file];
    if (done.has(file)) return undefined;
    way.push(file);
    for (const next of graph.get(file) ?? []) {
      const found = walk(next);
      if (found) return found;
    }
    way.pop();
    done.add(file);
    return undefined;
  };
  for (const file of graph.keys()) {
    const found = walk(file);
    if (found) return found;
  }
  return undefined;
}

it('files import each other in one direction', () => {
  expect(circle(new Map(files.map((file) => [file, importsOf(file)])))).toBeUndefined();
});

it('would find a circle', () => {
  const graph = new Map([
    ['a', ['b']],
    ['b', ['c']],
    ['c', ['b']],
  ]);
  expect(circle(graph)).toEqual(['b', 'c', 'b']);
});
