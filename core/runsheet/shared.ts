import { sizeText } from '../bytes/units.ts';
import type { PhoneFacts } from '../phone/facts.ts';
import { batteryFor, imagingBattery } from './battery.ts';
import { bySeverity, stop, type Check, type RunSheet, type Step } from './check.ts';

/** What lies in shared storage itself, as it was kept: a folder, or the files that lie in none. */
export interface SharedFolder {
  /** Empty for the files that lie in no folder. */
  readonly name: string;
  readonly files: number;
  readonly bytes: number;
}

/** Folders of apps among what apps share; they come with the copies of these. */
export const foldersOfApps = 'Android';

/** What becomes of a file that the phone has with other bytes. */
export const onTopWays = ['leave', 'replace'] as const;
export type OnTop = (typeof onTopWays)[number];

export interface PuttingSharedFacts {
  readonly phone: PhoneFacts;
  /** The phone that it was kept of. */
  readonly from: { readonly serial: string; readonly nickname: string };
  readonly isDamaged: boolean;
  /** All that was kept. */
  readonly kept: readonly SharedFolder[];
  /** Names. */
  readonly picked: readonly string[];
  readonly onTop: OnTop;
  /** Of what is picked, what the phone does not have in the same size. */
  readonly comingBytes: number;
  /** Of user data; undefined where it is not told. */
  readonly freeBytes: number | undefined;
  readonly bytesPerSecond: number;
}

export const folderText = (name: string): string => name || 'files in no folder';

/** The plan of putting folders of shared storage onto a phone whose system runs, with root or without. */
export function puttingSharedSheet(facts: PuttingSharedFacts): RunSheet {
  const { phone, kept, picked, onTop, from, freeBytes, comingBytes, bytesPerSecond } = facts;
  const some = kept.filter(({ name }) => picked.includes(name));
  const steps = some.map(({ name, bytes }): Step => ({
    kind: onTop === 'replace' ? 'put-shared' : 'add-shared',
    text: `Put ${folderText(name)} in place`,
    folder: name,
    bytes,
  }));
  const bytes = some.reduce((sum, each) => sum + each.bytes, 0);
  const expectedMs = (bytes / bytesPerSecond) * 1000;
  // A folder at a time lies beside what is there.
  const most = Math.max(0, ...some.map((each) => each.bytes));
  const checks: Check[] = [
    ...(phone.mode === 'system'
      ? []
      : stop(
          'mode-cannot-write',
          'Shared storage needs the running system',
          'Restart the phone into system.',
          {
            do: 'restart',
            into: 'system',
          },
        )),
    ...(some.length === 0
      ? stop('nothing-picked', 'No folder is picked', 'Pick the folders to put onto the phone.')
      : []),
    ...(facts.isDamaged
      ? stop(
          'image-damaged',
          'It is damaged on the shelf',
          'Choose another set, or repair it from a second copy.',
        )
      : []),
    ...(freeBytes !== undefined && freeBytes < comingBytes
      ? stop(
          'app-space',
          'The phone is too full',
          `${sizeText(comingBytes)} come; ${sizeText(freeBytes)} are free. Pick less.`,
        )
      : []),
    ...(from.serial !== phone.serial
      ? [
          {
            id: 'another-phone',
            severity: 'confirm',
            title: 'Of another phone',
            sentence: `Photos and files of ${from.nickname} (${from.serial}) go onto this one.`,
          } as const,
        ]
      : []),
    ...(some.length > 0 && onTop === 'leave'
      ? [
          {
            id: 'already-there',
            severity: 'note',
            title: 'What is there stays',
            sentence: 'A file that the phone has with other bytes is left as it is, and named at the end.',
          } as const,
        ]
      : []),
    ...(some.length > 0 && onTop === 'replace'
      ? [
          {
            id: 'data-replaced',
            severity: 'confirm',
            title: 'Files of the same names are replaced',
            sentence:
              'A file that the phone has with other bytes goes for the one that was kept. That cannot be taken back.',
          } as const,
        ]
      : []),
    ...(some.length > 0
      ? [
          {
            id: 'shared-storage',
            severity: 'note',
            title: 'Proved, then moved into place',
            sentence: `A folder at a time comes beside what is there (${sizeText(most)} at most), is compared with what was kept, and is then moved. Folders of apps are not in it: they come with the copies of these. Times stay as the phone allows; owners are its own.`,
          } as const,
        ]
      : []),
    ...(some.length > 0 ? imagingBattery(phone.battery) : []),
  ];
  return {
    steps,
    bytes,
    bytesPerSecond,
    expectedMs,
    batteryPercent: batteryFor(expectedMs),
    checks: bySeverity(checks),
  };
}
