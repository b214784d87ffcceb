import type { FileComparison, FileDifference, SetComparison } from '@keen-larder/contract/comparing.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { Comparing } from '@keen-larder/server/larder/comparing/comparing.ts';
import { Inside } from '@keen-larder/server/larder/inside/inside.ts';
import { find, withLarder } from './larder-commands.ts';
import { say } from './output.ts';

export interface CompareOptions {
  readonly home: string;
  readonly json?: boolean;
  /** A partition whose files are compared. */
  readonly files?: string;
  /** A file system within it. */
  readonly part?: string;
}

/** @returns 0 where nothing differs, 1 where something does, 2 where there is no such set */
export async function compareSets(first: string, second: string, options: CompareOptions): Promise<number> {
  return withLarder(options.home, async (larder) => {
    const [[before] = [], [after] = []] = [find(larder, first), find(larder, second)];
    if (!before || !after) return 2;
    const comparing = new Comparing(larder, new Inside(larder));
    const sides = { before: before.id, after: after.id };
    if (options.files === undefined) {
      const compared = await comparing.sets(sides);
      if (options.json) say(JSON.stringify(compared, null, 2));
      else compared.partitions.forEach((each) => say(partitionLine(each)));
      return compared.partitions.every(({ state }) => state === 'same') ? 0 : 1;
    }
    const compared = await comparing.files(sides, options.files, options.part ?? '');
    if (options.json) say(JSON.stringify(compared, null, 2));
    else sayFiles(compared);
    return compared.differences.length === 0 ? 0 : 1;
  });
}

const states = {
  same: 'same',
  differs: 'differs',
  'only before': 'only in the first',
  'only after': 'only in the second',
  unknown: 'not known',
} as const;

function partitionLine({ partition, state, differingBytes }: SetComparison['partitions'][number]): string {
  const share = differingBytes === undefined ? '' : `, ${sizeText(differingBytes)} in blocks that do`;
  return `${partition.padEnd(20)} ${states[state]}${share}`;
}

const marks = { added: '+', gone: '-', changed: '!', elsewhere: '>' } as const;

function sayFiles({ differences, counts, isCut }: FileComparison): void {
  for (const each of differences) say(`${marks[each.state]} ${each.path}${remark(each)}`);
  if (isCut) say(`… and more: only the first ${differences.length} are listed`);
  say(
    `${counts.changed} changed (!), ${counts.added} came (+), ${counts.gone} went (-), ${counts.elsewhere} lie elsewhere now (>)`,
  );
}

const remark = ({ from, changes }: FileDifference): string =>
  from !== undefined ? `  was ${from}` : changes.length > 0 ? `  ${changes.join(', ')}` : '';
