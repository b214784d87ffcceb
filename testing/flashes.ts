import { existsSync } from 'node:fs';
import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { inject } from 'vitest';
import { composeFlash } from '@keen-larder/standin/flash/compose.ts';
import { shareDigestsIn } from '@keen-larder/standin/flash/content-digests.ts';
import { earlyLoaderOf, secretOf } from '@keen-larder/standin/flash/flash.ts';
import type { SystemBuild } from '@keen-larder/standin/firmware/builds.ts';
import { models } from '@keen-larder/standin/models.ts';
import { recipes } from '@keen-larder/standin/scenario/phones.ts';
import { copySparse } from './programs/copying.ts';
import { until } from './until.ts';

/**
 * A phone's flash as it leaves the works, composed once for all test files: whoever needs one that is not there makes
 * it, the others wait.
 */
async function composed(folder: string, model: keyof typeof models, system: SystemBuild): Promise<string> {
  const path = join(folder, `${model} ${system}.flash`);
  if (existsSync(path)) return path;
  try {
    await mkdir(`${path}.making`);
  } catch {
    await until(`the flash of ${model}`, () => existsSync(path) || !existsSync(`${path}.making`));
    return composed(folder, model, system);
  }
  try {
    await composeFlash(path, models[model], system);
  } finally {
    await rm(`${path}.making`, { recursive: true });
  }
  return path;
}

/** A Knot 3's flash as it leaves the works; to be read, or copied. */
export const knot3Flash = (): Promise<string> => composed(inject('flashes'), 'knot3', 'system-march');

/**
 * Puts copies of composed flashes where simulated phones look for theirs.
 * @param home of the phones
 * @param systems by serial, where it is not the one that the phone has in the demo
 */
export async function copyFlashes(
  home: string,
  serials: readonly string[],
  systems: Readonly<Record<string, SystemBuild>> = {},
): Promise<void> {
  await mkdir(home, { recursive: true });
  // They hold the same for every test file.
  shareDigestsIn(join(inject('flashes'), 'digests'));
  for (const serial of serials) {
    const { model, system } = recipes.find((recipe) => recipe.serial === serial)!;
    const from = await composed(inject('flashes'), model, systems[serial] ?? system);
    const to = join(home, `${serial}.flash`);
    if (existsSync(to)) continue;
    for (const fileOf of [(path: string) => path, secretOf, earlyLoaderOf])
      if (existsSync(fileOf(from))) await copySparse(fileOf(from), fileOf(to));
  }
}
