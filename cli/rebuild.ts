import { existsSync, readdirSync, renameSync } from 'node:fs';
import { join } from 'node:path';
import pino from 'pino';
import { openKeenLarder } from '@keen-larder/server/keen-larder.ts';
import { lockHome } from '@keen-larder/server/lock.ts';
import { complain, say } from './output.ts';

const catalogue = 'catalogue.sqlite';

/**
 * Makes the catalogue anew from what lies on the shelf; the old one is put aside. What only the old one knew
 * (runs, the bin, dates of verifying, what an unfinished run can go on from) is not in the new one.
 * Resolves to an exit code.
 */
export async function rebuildCatalogue(home: string): Promise<number> {
  if (!existsSync(join(home, 'shelf'))) {
    complain(`There is no shelf in ${home}. Name the larder's folder with --home.`);
    return 2;
  }
  const unlock = lockHome(home);
  try {
    const aside = new Date().toISOString().replace(/[:.]/g, '-');
    for (const name of readdirSync(home)) {
      if (name !== catalogue && !name.startsWith(`${catalogue}-`)) continue;
      const target = name.replace('catalogue', `catalogue-before-${aside}`);
      renameSync(join(home, name), join(home, target));
      if (name === catalogue) say(`The catalogue as it was: ${target}`);
    }
  } finally {
    unlock();
  }
  const warnings: string[] = [];
  const log = pino(
    { level: 'warn' },
    { write: (line: string) => void warnings.push((JSON.parse(line) as { msg: string }).msg) },
  );
  const app = await openKeenLarder({ home, addresses: [], log });
  try {
    for (const { id, label, imageCount } of app.larder.list()) say(`${id}  ${label}, ${imageCount} images`);
    for (const warning of warnings) complain(warning);
    return warnings.length > 0 ? 1 : 0;
  } finally {
    await app.close();
  }
}
