// Stacks in the log lead to the sources of the built program.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { buildSync } from 'esbuild';
import { expect, it } from 'vitest';
import { testFolder } from '../testing/folder.ts';
import { inSources } from './logging.ts';

it('places of a stack are those of the sources, where there is a map', () => {
  const folder = testFolder();
  const source = join(folder.path, 'thrower.ts');
  const built = join(folder.path, 'out', 'thrower.mjs');
  const lines = [
    'interface Unused {',
    '  a: number;',
    '}',
    '',
    'export function thrower() {',
    "  throw 'no';",
    '}',
  ];
  writeFileSync(source, lines.join('\n'));
  buildSync({ entryPoints: [source], outfile: built, bundle: true, format: 'esm', sourcemap: true });
  const line = readFileSync(built, 'utf8')
    .split('\n')
    .findIndex((each) => each.includes('throw '));
  const { href } = pathToFileURL(built);
  const others = '    at run (node:internal/run:1:2)\n    at x (/nowhere/a.mjs:1:1)';
  expect(inSources(`Error: no\n    at thrower (${href}:${line + 1}:3)\n${others}`)).toBe(
    `Error: no\n    at thrower (${source}:6:3)\n${others}`,
  );
  folder.remove();
});
