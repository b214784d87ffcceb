import type { PartKind } from '../../apps/copies.ts';
import type { AppFacts } from '../../apps/facts.ts';
import type { PhoneFacts } from '../../phone/facts.ts';
import { sizeText } from '../../bytes/units.ts';
import { batteryFor, imagingBattery } from '../battery.ts';
import { bySeverity, listText, stop, type Check, type RunSheet, type Step } from '../check.ts';
import { isInBackup, whyNoBackup, whyNoBackupText } from '../../formats/android-backup/eligibility.ts';
import { isOther } from '../../phone/users/users.ts';
import { userChecks } from './users.ts';
import { inSystem, isData, labelsOf, msForEachApp } from './common.ts';
import type { CopyingFacts } from './facts.ts';

/** An app that is picked, as it is on the phone. */
export interface PickedApp {
  readonly app: AppFacts;
  readonly parts: readonly PartKind[];
}

/** Upper bound of what a copy of some parts is, in bytes. */
const bytesOf = ({ app, parts }: PickedApp): number =>
  (parts.includes('program') ? app.programBytes : 0) + (parts.some(isData) ? (app.dataBytes ?? 0) : 0);

export const pickedApps = ({ installed, picked }: Pick<CopyingFacts, 'installed' | 'picked'>): PickedApp[] =>
  picked.flatMap(({ package: name, parts }) => {
    const app = installed.find((each) => each.package === name);
    return app && parts.length > 0 ? [{ app, parts }] : [];
  });

/** The plan of copying apps into the larder: each app is stopped, read, and compared with what the phone digests. */
export function copyingSheet(facts: CopyingFacts): RunSheet {
  const apps = pickedApps(facts);
  const steps = apps.map((each): Step => ({
    kind: 'copy',
    text: `Copy ${each.app.label}`,
    app: each.app.package,
    bytes: bytesOf(each),
  }));
  const bytes = steps.reduce((sum, step) => sum + step.bytes, 0);
  const expectedMs = (bytes / facts.bytesPerSecond) * 1000 + apps.length * msForEachApp;
  return {
    steps,
    bytes,
    bytesPerSecond: facts.bytesPerSecond,
    expectedMs,
    batteryPercent: batteryFor(expectedMs),
    shelfBytes: bytes,
    checks: bySeverity(checks.flatMap((check) => check(facts, apps))),
  };
}

type CopyingCheck = (facts: CopyingFacts, apps: readonly PickedApp[]) => Check[];

const nothingPicked: CopyingCheck = (_facts, apps) =>
  apps.length === 0 ? stop('nothing-picked', 'No app is picked', 'Pick the apps to copy in the list.') : [];

const room: CopyingCheck = ({ shelf }, apps) =>
  roomForCopies(
    apps.reduce((sum, each) => sum + bytesOf(each), 0),
    shelf.freeBytes,
    'At most',
  );

/** @param bytes what copies take on the shelf, as far as it is known */
export function roomForCopies(bytes: number, freeBytes: number, bound = 'At least'): Check[] {
  const words = `${bound} ${sizeText(bytes)} are stored; ${sizeText(freeBytes)} are free on the shelf.`;
  return bytes > freeBytes
    ? stop('shelf-space', 'The shelf is too full', `${words} Empty the bin, or pick less.`)
    : [{ id: 'shelf-space', severity: 'good', title: 'There is room on the shelf', sentence: words }];
}

const running: CopyingCheck = ({ phone }, apps) => {
  // For its own backup the phone stops them itself.
  const up = apps.filter(
    ({ app, parts }) => app.isRunning && parts.some(isData) && !comesByBackup(phone, parts),
  );
  if (up.length === 0) return [];
  return [
    {
      id: 'app-running',
      severity: 'note',
      title: `${up.length === 1 ? 'One app is' : `${up.length} apps are`} stopped first`,
      sentence: `${labelsOf(up)} ${up.length === 1 ? 'is' : 'are'} running. What writes meanwhile cannot be copied faithfully.`,
    },
  ];
};

const keys: CopyingCheck = (_facts, apps) => {
  const bound = apps.filter(({ app, parts }) => app.hasHardwareKeys && parts.some(isData));
  if (bound.length === 0) return [];
  return [
    {
      id: 'hardware-keys',
      severity: 'note',
      title: 'Some data will open only on this phone',
      sentence: `${labelsOf(bound)} ${bound.length === 1 ? 'keeps keys' : 'keep keys'} in the phone’s hardware: the data will not open elsewhere or after a factory reset.`,
    },
  ];
};

const caches: CopyingCheck = (_facts, apps) =>
  apps.some(({ parts }) => parts.some(isData))
    ? [
        {
          id: 'caches-left-out',
          severity: 'note',
          title: 'Caches are left out',
          sentence: `What apps have in ${listText(['cache', 'code_cache'])} they make again.`,
        },
      ]
    : [];

/** Without root, data comes as the phone's own backup gives it. */
export const comesByBackup = ({ mode, root }: PhoneFacts, parts: readonly PartKind[]): boolean =>
  mode === 'system' && !root && parts.some(isData);

const throughBackup: CopyingCheck = ({ phone }, apps) => {
  const by = apps.filter(({ parts }) => comesByBackup(phone, parts));
  if (by.length === 0) return [];
  const media = by.filter(({ parts }) => parts.some((part) => isData(part) && !isInBackup(part)));
  return [
    {
      id: 'through-backup',
      severity: 'note',
      title: 'The phone asks on its screen',
      sentence: `This phone is not rooted: data comes by its own backup. Unlock its screen; when it asks, agree, without a password unless one is told below. It asks for one minute. What it gives cannot be compared with what it has, and accounts, caches and keys are not in it${media.length > 0 ? `; neither is what ${labelsOf(media)} ${media.length === 1 ? 'has' : 'have'} among shared pictures and sounds` : ''}.`,
    },
  ];
};

/** By why, in the words of a sentence. */
function silentAmong(
  { phone, sdk }: CopyingFacts,
  apps: readonly PickedApp[],
): ReadonlyMap<string, PickedApp[]> {
  const found = new Map<string, PickedApp[]>();
  for (const each of apps) {
    const why = comesByBackup(phone, each.parts) && whyNoBackup(each.app, sdk);
    if (why) found.set(whyNoBackupText[why], [...(found.get(whyNoBackupText[why]) ?? []), each]);
  }
  return found;
}

const givesNoBackup: CopyingCheck = (facts, apps) => {
  const found = silentAmong(facts, apps);
  if (found.size === 0) return [];
  const silent = [...found.values()].flat();
  const reasons = [...found].map(
    ([text, those]) => `${labelsOf(those)} ${those.length === 1 ? text : `(each ${text})`}`,
  );
  const title = `${silent.length === 1 ? 'One app gives' : `${silent.length} apps give`} no data`;
  const bare = silent.filter(({ parts }) => !parts.includes('program'));
  if (bare.length > 0)
    return stop(
      'gives-no-backup',
      title,
      `${listText(reasons)}. Pick the program of ${labelsOf(bare)} as well, or leave ${bare.length === 1 ? 'it' : 'them'} out.`,
    );
  const sentence = `${listText(reasons)}. ${silent.length === 1 ? 'Its program alone is' : 'Their programs alone are'} copied; the data stays on the phone.`;
  return [{ id: 'gives-no-backup', severity: 'confirm', title, sentence }];
};

const ofUser: CopyingCheck = (facts, apps) =>
  userChecks(
    facts,
    [],
    apps.some(({ parts }) => parts.some(isData)),
  );
/** The phone's own backup is of the owner's apps. */
const ofOwner =
  (check: CopyingCheck): CopyingCheck =>
  (facts, apps) =>
    isOther(facts.user) ? [] : check(facts, apps);

const checks: readonly CopyingCheck[] = [
  inSystem,
  ofUser,
  ofOwner(throughBackup),
  ofOwner(givesNoBackup),
  nothingPicked,
  room,
  ({ phone }) => imagingBattery(phone.battery),
  running,
  keys,
  caches,
];
