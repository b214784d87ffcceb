// The house's arrows: docs/architecture.md says which room may import which.
import { describe, expect, it } from 'vitest';
import { codeFiles, importsIn, importsOf, isTest, pathOf } from '../testing/sources/imports.ts';

/** Which rooms a room may import from. Tests may reach the simulated phones, since everything is tried on them. */
const arrows: Readonly<Record<string, readonly string[]>> = {
  core: [],
  contract: ['core'],
  server: ['core', 'contract'],
  // The guide is shown in the application.
  web: ['core', 'contract', 'docs'],
  standin: ['core', 'contract'],
  cli: ['core', 'contract', 'server'],
};
/** What of the outside a room does without: core does no input or output, the interface runs in browsers. */
const outside: Readonly<Record<string, RegExp>> = {
  core: /^(node:|(fs|path|vue|express)$)/,
  web: /^node:/,
};

/** Stands in for what browsers have, where Node has better: core/package.json says which is taken where. */
const platform = ['core/bytes/inflate/deflate-node.ts', 'core/bytes/crc/ieee-node.ts', 'web/vite.config.ts'];

/** Imports in a file that are wrong arrows. */
function wrongIn(file: string, imports: readonly string[]): string[] {
  const [room = ''] = file.split('/');
  const allowed = arrows[room];
  if (!allowed || isTest(file) || platform.includes(file)) return [];
  return imports.filter((to) => {
    const target = pathOf(file, to)?.split('/')[0];
    return target === undefined ? outside[room]?.test(to) : target !== room && !allowed.includes(target);
  });
}

it('no file imports from a room that is closed to it', () => {
  const wrong = codeFiles.flatMap((file) => wrongIn(file, importsOf(file)).map((to) => `${file}: ${to}`));
  expect(codeFiles.length).toBeGreaterThan(500);
  expect(wrong).toEqual([]);
});

describe('a file', () => {
  it.each([
    ['core/phone/x.ts', '@keen-larder/contract/bench.ts'],
    ['core/phone/x.ts', '../../server/feed.ts'],
    ['core/phone/x.ts', 'node:fs'],
    ['core/phone/x.ts', 'vue'],
    ['contract/x.ts', '@keen-larder/server/feed.ts'],
    ['server/x.ts', '@keen-larder/standin/bench.ts'],
    ['server/runs/x.ts', '../../standin/bench.ts'],
    ['server/x.ts', '../testing/folder.ts'],
    ['web/views/x.ts', '@keen-larder/server/feed.ts'],
    ['web/views/X.vue', 'node:fs'],
    ['standin/x.ts', '@keen-larder/server/feed.ts'],
    ['cli/x.ts', '@keen-larder/web/main.ts'],
  ])('%s must not import %s', (file, to) => {
    for (const line of [`import '${to}';`, `export * from '${to}';`, `const x = await import('${to}');`]) {
      expect(wrongIn(file, importsIn(line))).toEqual([to]);
    }
  });

  it.each([
    ['core/phone/x.ts', '../bytes/hex.ts'],
    ['contract/x.ts', '@keen-larder/core/phone/modes.ts'],
    ['server/x.ts', 'node:fs'],
    ['web/x.ts', '@keen-larder/core/phone/modes.ts'],
    ['cli/x.ts', '@keen-larder/server/reading.ts'],
    ['demo/x.ts', '@keen-larder/standin/bench.ts'],
    ['server/x.test.ts', '@keen-larder/standin/bench.ts'],
  ])('%s may import %s', (file, to) => {
    expect(wrongIn(file, importsIn(`import '${to}';`))).toEqual([]);
  });
});
