import type { CopiedApp } from '../../apps/copies.ts';
import { isDescribed, type PlannedCopy } from '../../apps/import-plan.ts';
import { sizeText } from '../../bytes/units.ts';
import { bySeverity, listText, stop, type Check, type RunSheet } from '../check.ts';
import { isData, labelsOf } from './common.ts';

/** A copy that is to be made of files, and the app that it is of. */
export interface WantedCopy extends PlannedCopy {
  readonly app: CopiedApp;
}

/** Everything the sheet of importing copies of apps is computed from. */
export interface ImportingAppsFacts {
  readonly copies: readonly WantedCopy[];
  /** Archives of which it is not known, or not chosen, what app they are of; with the app that was chosen. */
  readonly unknown: readonly { readonly path: string; readonly package: string | undefined }[];
  readonly serial: string;
  /** Whether a checksum file that came along names all files of a copy. */
  readonly isListed: (copy: PlannedCopy) => boolean;
  readonly shelf: { readonly freeBytes: number };
  readonly bytesPerSecond: number;
}

/** Nothing is expected to take no time. */
const leastMs = 1000;

const bytesOf = ({ parts }: PlannedCopy) => parts.reduce((sum, { bytes }) => sum + bytes, 0);
const countText = (count: number) => (count === 1 ? 'One copy' : `${count} copies`);

/** The plan of taking copies of apps in from files. */
export function importingAppsSheet(facts: ImportingAppsFacts): RunSheet {
  const { copies, bytesPerSecond } = facts;
  const bytes = copies.reduce((sum, each) => sum + bytesOf(each), 0);
  return {
    steps: copies.map((copy) => ({
      kind: 'copy',
      text: `Take in ${copy.app.label} from ${copy.parts.length === 1 ? copy.path : `${copy.parts.length} files`}`,
      app: copy.app.package,
      bytes: bytesOf(copy),
    })),
    bytes,
    bytesPerSecond,
    expectedMs: Math.max(leastMs, (bytes / bytesPerSecond) * 1000),
    batteryPercent: 0,
    shelfBytes: bytes,
    checks: bySeverity(checks.flatMap((check) => check(facts))),
  };
}

type ImportingAppsCheck = (facts: ImportingAppsFacts) => Check[];

const nothingPicked: ImportingAppsCheck = ({ copies, unknown }) =>
  copies.length + unknown.length === 0
    ? stop('nothing-picked', 'No copy is picked', 'Pick in the table which apps to take in.')
    : [];

const phoneNotNamed: ImportingAppsCheck = ({ serial }) =>
  serial
    ? []
    : stop(
        'phone-not-named',
        'Which phone are they of?',
        'A copy belongs to the phone that it came from: the checks of putting it back go by that.',
      );

const appNotKnown: ImportingAppsCheck = ({ unknown }) =>
  unknown.flatMap(({ path, package: name }) =>
    name
      ? stop(
          'app-not-known',
          `${name} is not known here`,
          `Which version the data in ${path} is of cannot be told: bring its APK along in the same folder, or copy the app from a phone first.`,
        )
      : stop(
          'app-not-known',
          'Of which app?',
          `${path} holds files of some app. Choose in the table which one, or leave it out.`,
        ),
  );

const shelfSpace: ImportingAppsCheck = ({ copies, shelf }) => {
  const bytes = copies.reduce((sum, each) => sum + bytesOf(each), 0);
  return bytes > shelf.freeBytes
    ? stop(
        'shelf-space',
        'Not enough space on the shelf',
        `At most ${sizeText(bytes)} will be stored and ${sizeText(shelf.freeBytes)} is free.`,
      )
    : [];
};

const cannotBeKept: ImportingAppsCheck = ({ copies }) =>
  copies.flatMap(({ app, fault }) =>
    fault ? stop('content-differs', `${app.label} cannot be kept as it came`, fault) : [],
  );

const withoutGrants: ImportingAppsCheck = ({ copies }) => {
  const bare = copies.filter((copy) => copy.from === undefined);
  return bare.length === 0
    ? []
    : [
        {
          id: 'no-description',
          severity: 'note',
          title: `${countText(bare.length)} without a description`,
          sentence: `${labelsOf(bare)}: no record of what was granted. Put back, grants stay as they are on the phone.`,
        },
      ];
};

const withoutProgram: ImportingAppsCheck = ({ copies }) => {
  const alone = copies.filter(({ parts }) => parts.every(({ kind }) => isData(kind)));
  if (alone.length === 0) return [];
  const guessed = alone.filter(({ isTold }) => !isTold);
  const versions = listText(guessed.map(({ app }) => app.versionName ?? String(app.versionCode)));
  const which = guessed.length === alone.length ? 'It' : `That of ${labelsOf(guessed)}`;
  return [
    {
      id: 'data-without-program',
      severity: 'note',
      title: `${countText(alone.length)} of data alone`,
      sentence: [
        `The data of ${labelsOf(alone)} can go back only where the app is installed.`,
        ...(guessed.length > 0
          ? [`${which} is taken for data of the version that is known here: ${versions}.`]
          : []),
      ].join(' '),
    },
  ];
};

const checksums: ImportingAppsCheck = ({ copies, isListed }) => {
  if (copies.length === 0) return [];
  const vouched = copies.filter((copy) => isDescribed(copy) || isListed(copy)).length;
  return vouched === copies.length
    ? [
        {
          id: 'checksums-beside',
          severity: 'good',
          title: 'Checksums came along',
          sentence: 'Every file is checked against them; a copy with one that differs is not kept.',
        },
      ]
    : [
        {
          id: 'checksums-beside',
          severity: 'note',
          title: vouched === 0 ? 'No checksums came along' : `${copies.length - vouched} without a checksum`,
          sentence: 'Nothing shows whether these files are unchanged. From now on their digests are kept.',
        },
      ];
};

const checks: readonly ImportingAppsCheck[] = [
  nothingPicked,
  phoneNotNamed,
  appNotKnown,
  shelfSpace,
  cannotBeKept,
  withoutGrants,
  withoutProgram,
  checksums,
];
