import type { PartKind } from '../../apps/copies.ts';
import type { AppFacts } from '../../apps/facts.ts';
import { sizeText } from '../../bytes/units.ts';
import { batteryFor, imagingBattery } from '../battery.ts';
import { bySeverity, listText, stop, type Check, type RunSheet, type Step } from '../check.ts';
import { inSystem, isData, labelsOf, msForEachApp, needsRoot } from './common.ts';
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

const running: CopyingCheck = (_facts, apps) => {
  const up = apps.filter(({ app, parts }) => app.isRunning && parts.some(isData));
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

const checks: readonly CopyingCheck[] = [
  inSystem,
  ({ phone }, apps) =>
    needsRoot(
      phone,
      apps.some(({ parts }) => parts.some(isData)),
    ),
  nothingPicked,
  room,
  ({ phone }) => imagingBattery(phone.battery),
  running,
  keys,
  caches,
];
