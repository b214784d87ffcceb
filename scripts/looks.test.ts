// The looks of the component library are listed by hand; a component whose looks are missing would stand there bare.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';

const web = join(import.meta.dirname, '../web');

it('lists the looks of every component that is used, and of no other', () => {
  const used = new Set<string>();
  for (const entry of readdirSync(web, { recursive: true, withFileTypes: true })) {
    if (!entry.name.endsWith('.vue') || entry.parentPath.includes('dist')) continue;
    const text = readFileSync(join(entry.parentPath, entry.name), 'utf8');
    for (const [, names] of text.matchAll(/import \{([^}]*)\} from 'element-plus'/g))
      for (const name of names!.split(',').map((each) => each.trim()))
        if (name)
          used.add(
            name
              .replace(/^El/, '')
              .replace(/(?!^)[A-Z]/g, '-$&')
              .toLowerCase(),
          );
  }
  const listed = [
    ...readFileSync(join(web, 'look/components.ts'), 'utf8').matchAll(/components\/([a-z-]+)\/style/g),
  ].map(([, name]) => name);
  expect(listed.sort()).toEqual([...used].sort());
});
