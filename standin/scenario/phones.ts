import { existsSync } from 'node:fs';
import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import { composeFlash, type SystemBuild } from '../flash/compose.ts';
import { Flash } from '../flash/flash.ts';
import { knot3Partitions } from '../flash/partitions.ts';
import { cableTiming, fastTiming, Phone } from '../phone/phone.ts';

export interface PhoneRecipe {
  readonly serial: string;
  readonly maker: string;
  readonly model: string;
  readonly nickname: string;
  readonly battery: number;
  readonly system: SystemBuild;
}

/** The phones of the Saltmere workshop. */
export const recipes: readonly PhoneRecipe[] = [
  {
    serial: 'TW3K-10482',
    maker: 'Tidewell',
    model: 'Knot 3',
    nickname: 'Ringing hut',
    battery: 82,
    system: 'system-january',
  },
];

export interface SetupOptions {
  /** Folder of the flash files. */
  readonly home: string;
  /** First port; 0 for any. */
  readonly basePort: number;
  /** Links without limit and quick starts. */
  readonly fast: boolean;
}

/** Makes the flash of each phone where it is missing and switches them on. */
export async function setUpPhones(options: SetupOptions): Promise<Phone[]> {
  await mkdir(options.home, { recursive: true });
  const phones: Phone[] = [];
  for (const [i, recipe] of recipes.entries()) {
    const path = join(options.home, `${recipe.serial}.flash`);
    if (!existsSync(path)) await composeFlash(path, knot3Partitions, recipe.system);
    const timing = options.fast ? fastTiming : cableTiming;
    const phone = new Phone(recipe, await Flash.open(path), timing, recipe.battery);
    await phone.listen(options.basePort ? options.basePort + i : 0);
    phones.push(phone);
  }
  return phones;
}
