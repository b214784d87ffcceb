import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { addressesOfAll, openOn, startKnot3, testFolder, until } from '../../testing/bench.ts';
import { isLong } from '../../testing/effort.ts';

const folder = testFolder();
afterAll(folder.remove);
const knot3 = 'TW3K-10482';
/** Phones, and modes in which each comes up. */
const tried: readonly (readonly [string, readonly PhoneMode[]])[] = [
  [knot3, ['system', 'recovery', 'bootloader']],
  ['MS10-70055', ['system']],
  ['MR2Q-44107', ['loader']],
  ...(isLong
    ? ([
        ['TW3K-10517', ['system', 'bootloader']],
        ['TW5K-20316', ['system', 'bootloader']],
      ] as const)
    : []),
];

it('surveys simulated phones in every mode that they come up in, and writes nothing', async () => {
  const bench = await startKnot3(
    join(folder.path, 'phones'),
    tried.map(([serial]) => serial),
  );
  const open = (options = {}) =>
    openOn(join(folder.path, 'home'), undefined, { addresses: addressesOfAll(bench), ...options });
  let app = await open();
  const found: Record<string, unknown> = {};
  try {
    for (const [serial, modes] of tried) {
      const phone = bench.phones.find(({ identity }) => identity.serial === serial)!;
      for (const mode of modes) {
        if (phone.state().mode !== mode) void phone.start(mode);
        await until(`${serial} in ${mode}`, () => app.bench.linkIn(serial, mode) !== undefined);
        const before = phone.flash.writes;
        const { findings, tools } = await app.bench.makeSurvey(serial);
        expect(phone.flash.writes, `${serial} in ${mode}`).toBe(before);
        expect(findings.filter(({ result }) => result === 'wrong')).toEqual([]);
        found[`${serial} ${mode}`] = tools && [tools.root, tools.partitions > 0, tools.proof, tools.labels];
      }
    }
    expect(found).toMatchObject({
      'TW3K-10482 system': ['su -c', true, 'sha256', 'asked'],
      'TW3K-10482 recovery': ['', true, 'sha256', 'unknown'],
      'MS10-70055 system': [undefined, false, 'sha256', 'unknown'],
    });
    expect(Object.keys(found)).toEqual(
      expect.arrayContaining(['TW3K-10482 bootloader', 'MR2Q-44107 loader']),
    );
    const told = await new Promise<string>((resolve) => {
      const program = join(import.meta.dirname, '../../scripts/larder.mjs');
      const address = bench.phones.find(({ identity }) => identity.serial === 'MS10-70055')!.state().adb;
      const words = ['survey', address, '--home', join(folder.path, 'cli')];
      execFile(process.execPath, [program, ...words], (error, out) => resolve(error ? error.message : out));
    });
    expect(told).toMatch(/^Survey of Marram Sedge 10 in system mode/);
    expect(told).toContain('- Root: missing\n');
    expect(told).toContain('- Copy apps: programs, and of data what the phone’s own backup gives\n');
    // What was found out is remembered; what is new is found out by itself.
    const phone = bench.phones.find(({ identity }) => identity.serial === knot3)!;
    await app.close();
    app = await open({ surveysNew: true });
    void phone.start('recovery');
    await until('recovery', () => app.bench.linkIn(knot3, 'recovery') !== undefined);
    expect(app.bench.survey(knot3)?.tools?.tar).toBe(true);
    await app.close();
    app = await openOn(join(folder.path, 'another home'), undefined, {
      addresses: addressesOfAll(bench),
      surveysNew: true,
    });
    await until('recovery', () => app.bench.linkIn(knot3, 'recovery') !== undefined);
    await until('a survey', () => app.bench.survey(knot3) !== undefined);
  } finally {
    await app.close();
    await bench.close();
  }
}, 120_000);
