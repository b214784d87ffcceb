import { execFile } from 'node:child_process';
import { existsSync } from 'node:fs';
import { mkdir } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { dirname, join } from 'node:path';
import { promisify } from 'node:util';
import type { SystemBuild } from '../firmware/builds.ts';
import { composeFlash } from '../flash/compose.ts';
import { Flash } from '../flash/flash.ts';
import { models } from '../models.ts';
import { Phone } from '../phone/phone.ts';
import { cableTiming, fastTiming } from '../phone/phone-state.ts';

export interface PhoneRecipe {
  readonly serial: string;
  readonly model: keyof typeof models;
  readonly nickname: string;
  readonly battery: number;
  readonly system: SystemBuild;
}

/** The phones of the Saltmere workshop. */
export const recipes: readonly PhoneRecipe[] = [
  { serial: 'TW3K-10482', model: 'knot3', nickname: 'Ringing hut', battery: 82, system: 'system-january' },
  { serial: 'TW5K-20316', model: 'knot5', nickname: 'North hide', battery: 91, system: 'knot5-system' },
  { serial: 'MS10-70055', model: 'sedge10', nickname: 'Visitor desk', battery: 67, system: 'sedge10-system' },
  { serial: 'MR2Q-44107', model: 'reed2', nickname: 'Boat shed', battery: 74, system: 'reed2-system' },
  { serial: 'TW3K-10517', model: 'knot3', nickname: 'East wall', battery: 58, system: 'system-march' },
  { serial: 'MRU4-51288', model: 'rush4', nickname: 'Ferry kiosk', battery: 71, system: 'rush4-system' },
];

export interface SetupOptions {
  /** Folder of the flash files. */
  readonly home: string;
  /** First port, three for each phone; 0 for any. */
  readonly basePort: number;
  /** Links without limit and quick starts. */
  readonly fast: boolean;
  /** Serials of the phones that are wanted; all when left out. */
  readonly only?: readonly string[];
  /** Somebody stands by every phone and allows each computer that asks. */
  readonly trusting?: boolean;
  /** Public keys of computers that are let in from the start. */
  readonly allow?: readonly string[];
}

const portsOfPhone = 3;

/** Makes the flash of each phone where it is missing and switches them on. */
export async function setUpPhones(options: SetupOptions): Promise<Phone[]> {
  await mkdir(options.home, { recursive: true });
  const wanted = recipes.filter(({ serial }) => options.only?.includes(serial) ?? true);
  const pathOf = ({ serial }: PhoneRecipe) => join(options.home, `${serial}.flash`);
  await composeAll(
    wanted.filter((recipe) => !existsSync(pathOf(recipe))),
    pathOf,
  );
  const phones: Phone[] = [];
  for (const [i, recipe] of recipes.entries()) {
    if (!wanted.includes(recipe)) continue;
    const path = pathOf(recipe);
    const model = models[recipe.model];
    const timing = options.fast ? fastTiming : cableTiming;
    const flash = await Flash.open(path, model.sectorBytes);
    const phone = new Phone({ serial: recipe.serial }, model, flash, timing, recipe.battery);
    phone.trusting = options.trusting ?? false;
    for (const line of options.allow ?? []) await phone.allow(line);
    await phone.listen(options.basePort ? options.basePort + i * portsOfPhone : 0);
    phones.push(phone);
  }
  return phones;
}

/** As built, where this is. */
const composing = import.meta.filename.endsWith('.ts')
  ? ['--import', 'tsx', join(import.meta.dirname, '..', 'flash', 'compose-main.ts')]
  : [join(dirname(import.meta.filename), 'compose-flashes.mjs')];

/** Several flashes are made side by side: each is seconds of work for one processor. */
async function composeAll(
  missing: readonly PhoneRecipe[],
  pathOf: (recipe: PhoneRecipe) => string,
): Promise<void> {
  if (missing.length === 1) {
    const [recipe] = missing as [PhoneRecipe];
    return composeFlash(pathOf(recipe), models[recipe.model], recipe.system);
  }
  const processes = Math.min(availableParallelism(), 4);
  const work = async (_: unknown, first: number) => {
    const own = missing.filter((_each, i) => i % processes === first);
    const words = own.flatMap((recipe) => [pathOf(recipe), recipe.model, recipe.system]);
    if (own.length > 0) await promisify(execFile)(process.execPath, [...composing, ...words]);
  };
  await Promise.all(Array.from({ length: processes }, work));
}
