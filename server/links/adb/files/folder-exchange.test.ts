// Exchanges of folders by this computer's own shell, broken off at every command and in the middle of every move.
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, expect, it } from 'vitest';
import { stagingFolders } from '@keen-larder/core/apps/copies.ts';
import { isLong } from '../../../../testing/effort.ts';
import type { AdbShell } from '../shell.ts';
import type { AdbFiles } from './files.ts';
import { AdbFolderExchange } from './folder-exchange.ts';

class BrokenOff extends Error {}

const root = mkdtempSync(join(tmpdir(), 'keen-larder-exchange-'));
afterEach(() => rmSync(root, { recursive: true, force: true }));

/** @param breaksAt the command that is not done any more; of a move, half of it is */
function exchange(breaksAt = Infinity) {
  let count = 0;
  const run = (script: string) => {
    if (++count === breaksAt) {
      const [, first, into] = /^mv ('[^']+').* ('[^']+')$/.exec(script) ?? [];
      if (first) execFileSync('sh', ['-c', `mv ${first} ${into}`]);
      throw new BrokenOff();
    }
    const { stdout, status } = spawnSync('sh', ['-c', script], { encoding: 'utf8' });
    return Promise.resolve({ stdout, stderr: '', exitCode: status ?? -1 });
  };
  const shell = {
    run,
    must: async (script: string) => (await run(script)).stdout,
    rooted: (script: string) => script,
  };
  return {
    folders: new AdbFolderExchange(shell as unknown as AdbShell, {} as AdbFiles),
    commands: () => count,
  };
}

const folder = join(root, 'app');
const old = ['databases', 'files', 'shared_prefs'];
const fresh = ['databases', 'lib', 'no_backup', 'files'];
function lay(): void {
  rmSync(folder, { recursive: true, force: true });
  for (const [at, names, content] of [
    [folder, old, 'old'],
    [join(folder, stagingFolders.next), fresh, 'new'],
  ] as const) {
    mkdirSync(at, { recursive: true });
    for (const name of names) writeFileSync(join(at, name), `${content} ${name}`);
  }
}
const present = () =>
  readdirSync(folder)
    .sort()
    .map((name) => execFileSync('cat', [join(folder, name)], { encoding: 'utf8' }));
const asOld = old.map((name) => `old ${name}`);

it('puts the new in place of the old', async () => {
  lay();
  const { folders } = exchange();
  await folders.swap(folder);
  await folders.settle(folder);
  expect(present()).toEqual([...fresh].sort().map((name) => `new ${name}`));
});

it.each([
  ['all of a folder', undefined],
  ['some names', { going: [`databases`, 'files'], coming: fresh }],
])(
  'has what was there again, of %s, wherever it and the undoing of it were broken off',
  async (_what, some) => {
    const all = exchange();
    lay();
    await all.folders.swap(folder, some);
    // What is before needs no undoing, or little.
    for (let swapping = isLong ? 1 : all.commands() - 1; swapping <= all.commands() + 1; swapping++)
      for (let undoing = 1; ; undoing++) {
        lay();
        const broken = exchange(swapping).folders.swap(folder, some);
        await (swapping > all.commands() ? broken : expect(broken).rejects.toThrow(BrokenOff));
        const first = await exchange(undoing)
          .folders.rollBack(folder)
          .then(
            () => 'ended',
            () => 'broken off',
          );
        await exchange().folders.rollBack(folder);
        expect(present(), `swapping broke off at ${swapping}, undoing at ${undoing}`).toEqual(asOld);
        if (first === 'ended') break;
      }
  },
);
