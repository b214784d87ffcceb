// The house's arrows: docs/architecture.md says which room may import which; the linter holds it.
import { join } from 'node:path';
import { ESLint } from 'eslint';
import tseslint from 'typescript-eslint';
import { describe, expect, it } from 'vitest';

const root = join(import.meta.dirname, '..');
// What is linted here is no file, of which nothing could tell types.
const eslint = new ESLint({ cwd: root, overrideConfig: tseslint.configs.disableTypeChecked });

/** What the linter says of imports in a file at that place. */
async function arrowsIn(path: string, source: string): Promise<string[]> {
  const [result] = await eslint.lintText(source, { filePath: join(root, path) });
  return result!.messages
    .filter(({ ruleId }) => ruleId === 'no-restricted-imports')
    .map(({ message }) => message);
}

describe('the arrows of the house', () => {
  it.each([
    ['core/phone/x.ts', '@keen-larder/contract/bench.ts'],
    ['core/phone/x.ts', '../../server/feed.ts'],
    ['core/phone/x.ts', 'node:fs'],
    ['core/phone/x.ts', 'vue'],
    ['contract/x.ts', '@keen-larder/server/feed.ts'],
    ['server/x.ts', '@keen-larder/standin/bench.ts'],
    ['server/runs/x.ts', '../../standin/bench.ts'],
    ['server/x.ts', '@keen-larder/web/main.ts'],
    ['web/x.ts', '@keen-larder/standin/bench.ts'],
    ['web/views/x.ts', '@keen-larder/server/feed.ts'],
    ['web/views/x.ts', 'node:fs'],
    ['standin/x.ts', '@keen-larder/server/feed.ts'],
    ['cli/x.ts', '@keen-larder/standin/bench.ts'],
    ['cli/x.ts', '@keen-larder/web/main.ts'],
  ])('%s must not import %s', async (path, from) => {
    expect(await arrowsIn(path, `import '${from}';\n`)).not.toEqual([]);
  });

  it.each([
    ['core/phone/x.ts', '../bytes/hex.ts'],
    ['contract/x.ts', '@keen-larder/core/phone/modes.ts'],
    ['server/x.ts', '@keen-larder/contract/bench.ts'],
    ['server/x.ts', 'node:fs'],
    ['web/x.ts', '@keen-larder/core/phone/modes.ts'],
    ['standin/x.ts', '@keen-larder/core/phone/modes.ts'],
    ['cli/x.ts', '@keen-larder/server/reading.ts'],
    ['demo/x.ts', '@keen-larder/standin/bench.ts'],
    ['server/x.test.ts', '@keen-larder/standin/bench.ts'],
  ])('%s may import %s', async (path, from) => {
    expect(await arrowsIn(path, `import '${from}';\n`)).toEqual([]);
  });
});
