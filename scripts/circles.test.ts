// No file imports, by whatever way, a file that imports it: of types neither.
import { expect, it } from 'vitest';
import { codeFiles, importsOf, pathOf } from '../testing/sources/imports.ts';

const files = codeFiles.filter((file) => !file.endsWith('.test.ts'));
const known = new Set(files);
const graphOf = (file: string) => importsOf(file).flatMap((to) => pathOf(file, to) ?? []);

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
  const graph = new Map(files.map((file) => [file, graphOf(file).filter((to) => known.has(to))]));
  expect(graph.size).toBeGreaterThan(500);
  expect(circle(graph)).toBeUndefined();
});

it('would find a circle', () => {
  const graph = new Map([
    ['a', ['b']],
    ['b', ['c']],
    ['c', ['b']],
  ]);
  expect(circle(graph)).toEqual(['b', 'c', 'b']);
});
