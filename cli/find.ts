import { sizeText } from '@keen-larder/core/bytes/units.ts';
import type { FindView, FoundFile, FoundSet } from '@keen-larder/contract/larder/finding.ts';
import { listText } from '@keen-larder/core/runsheet/check.ts';
import { copyNames } from '@keen-larder/server/runs/files/copying-off-site.ts';
import { withLarder } from './larder-commands.ts';
import { say } from './output.ts';

/** @returns 0 where something was found, 1 where nothing was */
export async function findInLarder(home: string, text: string, json: boolean): Promise<number> {
  return withLarder(home, (_larder, _order, finding) => {
    const found = finding.find(text);
    if (json) say(JSON.stringify(found, null, 2));
    else linesOf(found).forEach(say);
    const isSomething = Object.values(found).some((hits: { found: unknown[] }) => hits.found.length > 0);
    return Promise.resolve(isSomething ? 0 : 1);
  });
}

/** Of a set that the larder has no more. */
const lies = (elsewhere: FoundSet['elsewhere']) =>
  elsewhere.length > 0 ? `, ${listText(elsewhere.map((copy) => `in the ${copyNames[copy]}`))} alone` : '';

/** In which set, or in which copy of an app. */
function placeOf({ part, partition, sets: [set], copies: [copy] }: FoundFile): string {
  if (set) return `${part || partition} in “${set.label}” (${set.nickname})${lies(set.elsewhere)}`;
  return `${partition} of the copy of ${copy!.label} (${copy!.nickname})`;
}

const linesOf = ({ phones, sets, images, apps, files }: FindView): string[] => [
  ...phones.found.map((each) => `phone  ${each.nickname} (${each.serial}), ${each.maker} ${each.model}`),
  ...sets.found.map((each) => `set    ${each.id}  ${each.label} (${each.nickname})${lies(each.elsewhere)}`),
  ...images.found.map(
    (each) => `image  ${each.sha256}  ${each.partition} in “${each.label}” (${each.nickname})`,
  ),
  ...apps.found.map((each) => `app    ${each.package}  ${each.label}, ${each.copies} copies`),
  ...files.found.map(
    (each) => `${each.kind.padEnd(6)} ${each.path}  ${sizeText(each.bytes)}, ${placeOf(each)}`,
  ),
  ...([phones, sets, images, apps, files].some(({ isCut }) => isCut) ? ['… and more: write more of it'] : []),
];
