// Debian's fastboot client (AOSP system/core/fastboot) asks the simulated phone for its variables.
import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { serial, startKnot3, testFolder, until } from '../e2e/support/bench.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  void bench.phone.start('bootloader');
  await until('the bootloader', () => bench.phone.state().mode === 'bootloader');
});
afterAll(async () => {
  await bench.close();
  folder.remove();
});

const run = promisify(execFile);
const fastboot = async (...args: string[]) => {
  const { stdout, stderr } = await run('fastboot', ['-s', `tcp:${bench.phone.state().fastboot}`, ...args], {
    timeout: 30_000,
  });
  return stdout + stderr;
};

it('tells single variables, all of them, and which it does not have', async () => {
  expect(await fastboot('getvar', 'serialno')).toMatch(`serialno: ${serial}`);
  expect(await fastboot('getvar', 'max-download-size')).toMatch(/max-download-size: 0x4000000/);
  const all = await fastboot('getvar', 'all');
  expect(all).toMatch(/unlocked: ?yes/);
  expect(all).toMatch(/partition-size:boot: 0x2000000/);
  expect(all).toMatch(/has-slot:boot: no/);
  expect(await fastboot('getvar', 'nonsense')).toMatch(/FAILED \(remote: 'unknown variable'\)/);
});

it('restarts into the system', async () => {
  await fastboot('reboot');
  await until('the system', () => bench.phone.state().mode === 'system');
});
