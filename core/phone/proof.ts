import { linesOf } from '../bytes/lines.ts';
import { tagsIn } from '../bytes/xml-tags.ts';
import type { Condition } from './facts.ts';

/** What can be asked of a phone once it runs, and of a set that was taken from it. */
export interface ReturnFacts {
  readonly condition: Condition;
  /** Apps with their version codes, undefined of one whose version is not told; undefined where they could not be read. */
  readonly apps?: ReadonlyMap<string, number | undefined> | undefined;
  /** How many personal records of each kind, by their titles, undefined of a kind that could not be read; and of all. */
  readonly records?: ReadonlyMap<string, number | undefined> | undefined;
}

/** One fact of a phone beside what it was when the set was taken. */
export interface ProofRow {
  readonly what: string;
  readonly kept: string | undefined;
  readonly now: string | undefined;
  /** `expected` differs for the reason that is given. */
  readonly result: 'same' | 'expected' | 'different' | 'unknown';
  readonly reason?: string;
}

/** Which parts of a phone a plan has put back. */
export interface PutBack {
  readonly system: boolean;
  readonly userData: boolean;
}

const yesNo = (is: boolean | undefined, yes: string, no: string) =>
  is === undefined ? undefined : is ? yes : no;
const appList = (apps: ReturnFacts['apps']) => apps && `${apps.size} ${apps.size === 1 ? 'app' : 'apps'}`;

/** Compares a phone that was put back with what it was. */
export function compareReturn(kept: ReturnFacts, now: ReturnFacts, putBack: PutBack): ProofRow[] {
  const [before, after] = [kept.condition, now.condition];
  const row = (
    what: string,
    a: string | undefined,
    b: string | undefined,
    reason?: string | false,
  ): ProofRow => ({
    what,
    kept: a,
    now: b,
    result:
      a === undefined || b === undefined ? 'unknown' : a === b ? 'same' : reason ? 'expected' : 'different',
    ...(a !== b && reason && { reason }),
  });
  const otherSystem = !putBack.system && 'The system was not put back.';
  const otherData = !putBack.userData && 'User data was not put back.';
  return [
    row('Firmware', before.build, after.build, otherSystem),
    row('Android version', before.androidVersion, after.androidVersion, otherSystem),
    row('Security patch', before.patchLevel, after.patchLevel, otherSystem),
    row('Condition', kindOf(before), kindOf(after), otherSystem),
    row(
      'Bootloader',
      yesNo(before.bootloaderUnlocked, 'unlocked', 'locked'),
      yesNo(after.bootloaderUnlocked, 'unlocked', 'locked'),
    ),
    ...((before.slot ?? after.slot) ? [row('Slot', before.slot, after.slot)] : []),
    imeiRow(before.hasImei, after.hasImei),
    appsRow(kept.apps, now.apps, otherData),
    ...recordRows(kept.records, now.records).map(([title, a, b]) => row(title, a, b, otherData)),
  ];
}

/** Kinds that either has, with the counts of both. */
function recordRows(
  kept: ReturnFacts['records'],
  now: ReturnFacts['records'],
): [title: string, kept: string | undefined, now: string | undefined][] {
  const titles = new Set([...(kept?.keys() ?? []), ...(now?.keys() ?? [])]);
  // What one of the two could not be read for says nothing.
  if (!kept || !now) return [];
  const count = (of: ReadonlyMap<string, number | undefined>, title: string) => {
    const found = of.has(title) ? of.get(title) : 0;
    return found === undefined ? undefined : String(found);
  };
  return [...titles].map((title) => [title, count(kept, title), count(now, title)]);
}

const kindOf = ({ kind }: Condition) => (kind === 'unknown' ? undefined : kind);

/** A set that was taken where nobody could tell has nothing to compare; that the IMEI is there is good all the same. */
function imeiRow(kept: boolean | undefined, now: boolean | undefined): ProofRow {
  const words = (is: boolean | undefined) => yesNo(is, 'present', 'missing');
  return {
    what: 'IMEI',
    kept: words(kept),
    now: words(now),
    result:
      now === undefined || (now && kept === undefined)
        ? 'unknown'
        : now === kept
          ? 'same'
          : now
            ? 'expected'
            : 'different',
    ...(now && kept === undefined && { reason: 'The mode in which the set was taken does not tell.' }),
    ...(now && kept === false && { reason: 'It was missing when the set was taken.' }),
  };
}

function appsRow(kept: ReturnFacts['apps'], now: ReturnFacts['apps'], reason: string | false): ProofRow {
  const both =
    kept && now ? { kept, now } : { kept: new Map<string, undefined>(), now: new Map<string, undefined>() };
  const missing = [...both.kept.keys()].filter((name) => !both.now.has(name));
  const more = [...both.now.keys()].filter((name) => !both.kept.has(name));
  const changed = [...both.kept].flatMap(([name, version]) => {
    const there = both.now.get(name);
    return version === undefined || there === undefined || version === there
      ? []
      : [`${name} ${there} instead of ${version}`];
  });
  const untold = [...both.kept].filter(
    ([name, version]) => both.now.has(name) && (version === undefined || both.now.get(name) === undefined),
  ).length;
  const isSame = missing.length + more.length + changed.length === 0;
  const differences = [
    missing.length > 0 && `missing: ${missing.join(', ')}`,
    more.length > 0 && `not in the set: ${more.join(', ')}`,
    changed.length > 0 && `in another version: ${changed.join(', ')}`,
    !isSame && reason,
    isSame && untold > 0 && `of ${untold} of them the version is not told`,
  ].filter(Boolean);
  return {
    what: 'Apps',
    kept: appList(kept),
    now: appList(now),
    result:
      !kept || !now || (isSame && untold > 0)
        ? 'unknown'
        : isSame
          ? 'same'
          : reason
            ? 'expected'
            : 'different',
    ...(differences.length > 0 && { reason: differences.join('; ') }),
  };
}

/**
 * Apps by `packages.list`, the first word of each line, with their versions by `packages.xml` (AOSP,
 * frameworks/base: Settings.java).
 * @param packages that file's text
 */
export function appsIn(list: string, packages: string | undefined): Map<string, number | undefined> {
  const versions = new Map<string, number>();
  for (const { attributes } of tagsIn(packages ?? '', 'package')) {
    const [name, version] = [attributes.get('name'), attributes.get('version')];
    if (name && version && /^\d+$/.test(version)) versions.set(name, Number(version));
  }
  const names = [...linesOf(list)].map((line) => line.split(' ', 1)[0]!);
  return new Map(
    names
      .filter(Boolean)
      .sort()
      .map((name) => [name, versions.get(name)]),
  );
}
