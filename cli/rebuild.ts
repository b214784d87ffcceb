import { copyFileSync, existsSync, readdirSync, renameSync } from 'node:fs';
import { join } from 'node:path';
import pino from 'pino';
import { openKeenLarder } from '@keen-larder/server/keen-larder.ts';
import { sealSecretOf } from '@keen-larder/server/shelf/shelf-seal.ts';
import { isWhole } from '@keen-larder/server/larder/snapshots.ts';
import { lockHome } from '@keen-larder/server/lock.ts';
import { complain, say } from './output.ts';

const catalogue = 'catalogue.sqlite';

/**
 * Makes the catalogue anew: from itself where it is whole, or else from the newest whole copy of it on the shelf, and from what
 * lies on the shelf in any case. The old one is put aside. Resolves to an exit code.
 */
export async function rebuildCatalogue(home: string): Promise<number> {
  if (!existsSync(join(home, 'shelf'))) {
    complain(`There is no shelf in ${home}. Name the larder's folder with --home.`);
    return 2;
  }
  const unlock = lockHome(home);
  try {
    putAside(home);
  } finally {
    unlock();
  }
  const app = await openKeenLarder({
    ...sealSecretOf(process.env),
    home,
    addresses: [],
    log: pino({ level: 'silent' }),
  });
  try {
    const findings = await app.larder.rebuild();
    for (const { id, label, imageCount } of app.larder.list()) say(`${id}  ${label}, ${imageCount} images`);
    for (const { level, text } of findings) (level === 'warning' ? complain : say)(text);
    return findings.some(({ level }) => level === 'warning') ? 1 : 0;
  } finally {
    await app.close();
  }
}

/** A whole catalogue stays as well, with its log; a damaged one does not. */
function putAside(home: string): void {
  const aside = new Date().toISOString().replace(/[:.]/g, '-');
  const stays = isWhole(join(home, catalogue));
  for (const name of readdirSync(home)) {
    if (name !== catalogue && !name.startsWith(`${catalogue}-`)) continue;
    const target = name.replace('catalogue', `catalogue-before-${aside}`);
    (stays ? copyFileSync : renameSync)(join(home, name), join(home, target));
    if (name === catalogue) say(`The catalogue as it was: ${target}`);
  }
}
