import { setTimeout as pause } from 'node:timers/promises';
import pino from 'pino';
import type { FileComparison, FileDifference, SetComparison } from '@keen-larder/contract/comparing.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { Problem } from '@keen-larder/server/failures.ts';
import { openKeenLarder, type KeenLarder } from '@keen-larder/server/keen-larder.ts';
import { Comparing } from '@keen-larder/server/larder/comparing/comparing.ts';
import { Inside } from '@keen-larder/server/larder/inside/inside.ts';
import { isLinkAddress } from '@keen-larder/server/links/open-link.ts';
import { startComparingSet } from '@keen-larder/server/runs/imaging/comparing-set.ts';
import { sealSecretOf } from '@keen-larder/server/shelf/shelf-seal.ts';
import { find, withLarder } from './larder-commands.ts';
import { complain, say } from './output.ts';

export interface CompareOptions {
  readonly home: string;
  readonly json?: boolean;
  /** A partition whose files are compared. */
  readonly files?: string;
  /** A file system within it. */
  readonly part?: string;
}

export interface ComparePhoneOptions extends CompareOptions {
  /** An address, or the serial of a phone that the local adb server has. */
  readonly phone: string;
  readonly adbPort: number;
  /** For how long it is waited for; left out for the usual. */
  readonly patienceMs?: number;
}

const usualPatienceMs = 20_000;

/** @returns 0 where nothing differs, 1 where something does, 2 where there is no such set */
export async function compareSets(first: string, second: string, options: CompareOptions): Promise<number> {
  return withLarder(options.home, async (larder) => {
    const [[before] = [], [after] = []] = [find(larder, first), find(larder, second)];
    if (!before || !after) return 2;
    const comparing = new Comparing(larder, new Inside(larder));
    return tell(comparing, { before: before.id, after: after.id }, options);
  });
}

/**
 * A set beside a phone as it is now: the phone digests what the set has, and nothing is written to it.
 * @returns 0 where nothing differs, 1 where something does, 2 where there is no such set or the phone cannot be asked
 */
export async function compareWithPhone(set: string, options: ComparePhoneOptions): Promise<number> {
  const { home, phone, adbPort } = options;
  let setId: string | undefined;
  const code = await withLarder(home, (larder) => {
    setId = find(larder, set)?.[0]?.id;
    return Promise.resolve(setId === undefined ? 2 : 0);
  });
  if (setId === undefined) return code;
  const app = await openKeenLarder({
    home,
    addresses: isLinkAddress(phone) ? [phone] : [],
    adbServerPort: adbPort,
    pollMs: 250,
    log: pino({ level: 'silent' }),
    ...sealSecretOf(process.env),
  });
  try {
    const serial = await here(app, options);
    if (serial === undefined) {
      complain(
        isLinkAddress(phone)
          ? `No phone answers at ${phone}: look at its cable, and at its screen, which may ask whether to allow this computer.`
          : `No phone called ${phone} answers: look at its cable, or name it by its address, HOST:PORT.`,
      );
      return 2;
    }
    const { id } = await startComparingSet(app, serial, setId);
    const { state, outcome } = await app.engine.ended(id);
    if (state !== 'done') {
      complain(outcome ?? state);
      return 2;
    }
    return await tell(app.comparing, { before: setId, after: `phone:${serial}` }, options);
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    complain(error.message);
    return 2;
  } finally {
    await app.close();
  }
}

/** The serial of the phone that is meant, as soon as it answers. */
async function here(
  { bench }: KeenLarder,
  { phone, patienceMs = usualPatienceMs }: ComparePhoneOptions,
): Promise<string | undefined> {
  const byAddress = isLinkAddress(phone);
  for (const until = Date.now() + patienceMs; Date.now() < until; await pause(100)) {
    const found = bench
      .list()
      .find(({ presence, serial }) => presence === 'here' && (byAddress || serial === phone));
    if (found) return found.serial;
  }
  return undefined;
}

async function tell(
  comparing: Comparing,
  sides: { readonly before: string; readonly after: string },
  options: CompareOptions,
): Promise<number> {
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
