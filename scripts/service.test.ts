// The unit that starts with the computer, held against systemd's own tools; systemctl itself is stood in for, since no user manager runs here.
import { execFileSync, spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { testFolder } from '../testing/folder.ts';

const folder = testFolder();
afterAll(() => folder.remove());
const bin = join(folder.path, 'bin');
const config = join(folder.path, 'config');
const said = join(folder.path, 'said');
const unit = join(config, 'systemd/user/keen-larder.service');

/** @param script what `systemctl` does after it has written down what it was told */
function systemctl(script: string): void {
  mkdirSync(bin, { recursive: true });
  writeFileSync(join(bin, 'systemctl'), `#!/bin/sh\necho "$@" >> ${said}\n${script}\n`);
  chmodSync(join(bin, 'systemctl'), 0o755);
}

const service = (...words: string[]) =>
  spawnSync(process.execPath, [join(import.meta.dirname, 'service.mjs'), ...words], {
    encoding: 'utf8',
    env: { ...process.env, PATH: `${bin}:${process.env['PATH']}`, XDG_CONFIG_HOME: config },
  });

beforeEach(() => writeFileSync(said, ''));

it('is installed with the options of the start, asked for, and removed', () => {
  systemctl('[ "$2" = is-active ] && echo active; exit 0');
  expect(service('status')).toMatchObject({ status: 1, stdout: 'Not installed.\n' });
  const options = ['--home', '/srv/a "larder" at 100% $HOME\\', '--port', '4200'];
  expect(service('install', ...options)).toMatchObject({ status: 0, stderr: '' });
  expect(readFileSync(said, 'utf8').trim().split('\n')).toEqual([
    '--user daemon-reload',
    '--user enable keen-larder.service',
    '--user restart keen-larder.service',
  ]);
  expect(service('status')).toMatchObject({ status: 0, stdout: 'Installed and running.\n' });
  expect(readFileSync(unit, 'utf8')).toContain('"/srv/a \\"larder\\" at 100%% $$HOME\\\\" "--port" "4200"');
  expect(service('remove')).toMatchObject({ status: 0 });
  expect(existsSync(unit)).toBe(false);
  expect(service('remove')).toMatchObject({ status: 1, stderr: 'It is not installed.\n' });
});

it('says what systemd says where it does not start', () => {
  systemctl(
    '[ "$2" = restart ] && { echo "Job failed." >&2; exit 1; }; [ "$2" = is-active ] && { echo failed; exit 3; }; exit 0',
  );
  expect(service('install')).toMatchObject({
    status: 1,
    stderr: 'The unit is enabled, but did not start: Job failed.\n',
  });
  expect(service('status')).toMatchObject({
    status: 1,
    stdout: expect.stringContaining('not running (failed)') as string,
  });
  expect(service('other')).toMatchObject({ status: 1, stderr: expect.stringContaining('Usage') as string });
});

const hasAnalyzer = spawnSync('systemd-analyze', ['--version']).status === 0;

describe.runIf(hasAnalyzer)('systemd-analyze (Debian: systemd)', () => {
  it('finds nothing wrong with the unit', () => {
    systemctl('exit 0');
    service('install', '--home', '/srv/a "larder" at 100% $HOME');
    const found = execFileSync('systemd-analyze', ['verify', '--user', '--man=no', unit], {
      encoding: 'utf8',
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, XDG_RUNTIME_DIR: folder.path },
    });
    expect(found).toBe('');
  });
});
