import { mkdir } from 'node:fs/promises';
import type { ExportRequest } from '@keen-larder/contract/requests/larder/sets.ts';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import type { Finding } from '@keen-larder/server/larder/finding/finding.ts';
import type { Larder } from '@keen-larder/server/larder/larder.ts';
import type { Order } from '@keen-larder/server/larder/upkeep/order.ts';
import { openForReading } from '@keen-larder/server/reading.ts';
import type { WrittenFile } from '@keen-larder/server/larder/export.ts';
import {
  exportOptions,
  filesOf,
  writeBeside,
  writeFileOf,
} from '@keen-larder/server/runs/files/exporting.ts';
import { verifyImage } from '@keen-larder/server/shelf/verify-image.ts';
import { sealSecretOf } from '@keen-larder/server/shelf/shelf-seal.ts';
import { complain, say } from './output.ts';
import { DamagedImage } from '@keen-larder/server/failures.ts';

export async function listSets(home: string, json: boolean): Promise<number> {
  return withLarder(home, (larder) => {
    const sets = larder.list();
    if (json) say(JSON.stringify(sets, null, 2));
    for (const set of json ? [] : sets) {
      say(`${set.id}  ${set.label}`);
      say(`  ${set.nickname} (${set.serial}), ${set.imageCount} images, ${sizeText(set.bytes)} as imaged`);
    }
    return Promise.resolve(0);
  });
}

/** Says what the rules for keeping let go; nothing is done. @returns 1 where there is something */
export async function showOrder(home: string, json: boolean): Promise<number> {
  return withLarder(home, (_, order) => {
    const view = order.view();
    if (json) say(JSON.stringify(view, null, 2));
    else
      for (const { id, label, nickname, reasons } of view.sets)
        say(`${id}  ${label} (${nickname}): ${reasons.length === 0 ? 'WOULD GO' : reasons.join(', ')}`);
    return Promise.resolve(view.sets.some(({ reasons }) => reasons.length === 0) ? 1 : 0);
  });
}

export async function verifySets(home: string, wanted: string | undefined): Promise<number> {
  return withLarder(home, async (larder) => {
    const sets = wanted === undefined ? larder.list() : find(larder, wanted);
    if (!sets) return 2;
    let damaged = 0;
    for (const set of sets) {
      for (const { partition } of larder.detail(set.id).images) {
        try {
          await verifyImage(
            larder.shelf,
            larder.image(set.id, partition),
            new AbortController().signal,
            () => undefined,
          );
        } catch (error) {
          if (!(error instanceof DamagedImage)) throw error;
          damaged++;
          say(`DAMAGED  ${set.label}: ${error.message}`);
        }
      }
      say(`verified ${set.label}: ${set.imageCount} images`);
    }
    return damaged > 0 ? 1 : 0;
  });
}

export async function exportSet(
  home: string,
  wanted: string,
  folder: string,
  request: ExportRequest,
): Promise<number> {
  return withLarder(home, async (larder) => {
    const [found] = find(larder, wanted) ?? [];
    if (!found) return 2;
    const set = larder.detail(found.id);
    const { options, picked, seal } = exportOptions(set, request);
    try {
      await mkdir(folder);
    } catch (error) {
      complain(`${folder} cannot be made: ${(error as Error).message}. Name a folder that is not there yet.`);
      return 2;
    }
    const written: WrittenFile[] = [];
    for (const file of filesOf(larder, set, options, picked, seal)) {
      try {
        written.push(await writeFileOf(file, folder));
      } catch (error) {
        if (!(error instanceof DamagedImage)) throw error;
        complain(`${error.message} The export is not complete.`);
        return 1;
      }
    }
    await writeBeside(set, picked, written, folder, seal);
    say(`${written.length} ${written.length === 1 ? 'file' : 'files'} in ${folder}`);
    return 0;
  });
}

/** The one set of that id or name; says so when there is none or more than one. */
export function find(larder: Larder, wanted: string): SetView[] | undefined {
  const found = larder.list().filter(({ id, label }) => id === wanted || label === wanted);
  if (found.length === 1) return found;
  complain(
    found.length === 0
      ? `There is no set “${wanted}”. \`larder sets\` lists them.`
      : `${found.length} sets are called “${wanted}”. Name one by its id.`,
  );
  return undefined;
}

/** @throws SealFailure where it is sealed, and what the environment has does not open it */
async function unlockIfSealed({ shelf }: Larder): Promise<void> {
  const { sealSecret } = sealSecretOf(process.env);
  await shelf.seal.look();
  if (sealSecret !== undefined) await shelf.seal.unlock(sealSecret);
}

/** Opens the larder of a home folder for reading. @throws Error when there is none */
export async function withLarder(
  home: string,
  work: (larder: Larder, order: Order, finding: Finding) => Promise<number>,
): Promise<number> {
  const opened = openForReading(home);
  try {
    await unlockIfSealed(opened.larder);
    return await work(opened.larder, opened.order, opened.finding);
  } finally {
    await opened.close();
  }
}
