import { folderOf, type AppCopy, type FolderKind } from './copies.ts';
import { isAppId, appIdOf, userOf } from './ids.ts';
import { sizeText } from '../bytes/units.ts';
import type { RecordKindId } from '../records/kinds.ts';
import {
  carriedRecordsChecks,
  recordLines,
  type CarriedRecords,
  type WantedRecords,
} from '../records/carrying.ts';
import { bySeverity, listText, stop, type Check } from '../runsheet/check.ts';
import { livesOnOnePhone } from './known.ts';

/**
 * What an archive that a recovery installs has to say of its apps: one line for each thing, words apart by one blank, so that
 * the shell of any recovery reads it. `model`, `sdk` and `kib` of room; for each app a line `app NUMBER PACKAGE VERSION PROGRAMS
 * LABEL`; for each of its APKs `program NUMBER MEMBER NAME SHA-256`; for each permission that it had `grant NUMBER PERMISSION`; for each folder `part NUMBER MEMBER FOLDER app|shared SUM UID`.
 * Records have lines of their own (`CarriedRecords`).
 */
export interface CarriedFolder {
  readonly kind: FolderKind;
  /** In the archive. */
  readonly member: string;
  /** SHA-256 of the lines that `sha256sum` prints for its files, by bytes in order. */
  readonly sum: string;
}

export interface CarriedApp {
  readonly copy: AppCopy;
  readonly programs: readonly { readonly member: string; readonly name: string; readonly sha256: string }[];
  readonly folders: readonly CarriedFolder[];
}

/** More is not addressed by the archives that every recovery opens (ZIP without its 64-bit extension). */
export const mostCarriedBytes = 4 * 1024 ** 3 - (64 << 20);

const isShared = (kind: FolderKind) => kind !== 'data' && kind !== 'device-data';
const roomFor = (bytes: number) => Math.ceil((bytes * 1.05 + (16 << 20)) / 1024);
const isPermission = (name: string) => /^[A-Za-z0-9_.]+$/.test(name);
/** What a line may have: neither its end nor what a shell's `read` takes for a separator at its edges. */
const inLine = (text: string) => text.replace(/\p{Cc}+/gu, ' ').trim() || '?';

/** What an archive of some copies would be. */
export interface CarryAlongSheet {
  readonly model: string;
  /** Android API level that a phone must have at least. */
  readonly sdk: number;
  /** Of what goes in; the archive is smaller. */
  readonly bytes: number;
  readonly apps: number;
  readonly withProgram: number;
  /** Stops, and what is to be known. */
  readonly checks: readonly Check[];
}

/** Records that are kept of the phones whose apps are carried along. */
export interface OfferedRecords {
  readonly id: string;
  readonly kind: RecordKindId;
  /** Of the phone that they were kept of. */
  readonly nickname: string;
  readonly createdAt: number;
  /** How many; undefined where it cannot be told. */
  readonly count: number | undefined;
  readonly bytes: number;
  /** Why they may not go in; undefined where they may. */
  readonly whyNot: string | undefined;
}

const plural = (count: number, one: string, many: string) => (count === 1 ? one : `${count} ${many}`);

/**
 * What comes of carrying some copies along in one archive.
 * @param copies with the model of the phone that each comes from, and whether parts of it are damaged
 * @param records that go along
 */
export function carryAlongSheet(
  copies: readonly (AppCopy & { readonly model: string; readonly isDamaged: boolean })[],
  records: readonly (WantedRecords & { readonly model: string })[] = [],
): CarryAlongSheet {
  const models = [...new Set([...copies, ...records].map(({ model }) => model))];
  const packages = copies.map(({ app }) => app.package);
  const bytes = bytesOfAll(copies, records);
  const checks: Check[] = [];
  /** A check of those copies that something is so of. */
  const of = (
    is: (copy: (typeof copies)[number], i: number) => boolean,
    check: (labels: string, count: number) => Check,
  ) => {
    const some = copies.filter(is);
    const labels = listText([...new Set(some.map(({ app }) => app.label))]);
    if (some.length > 0) checks.push(check(labels, some.length));
  };
  if (copies.length + records.length === 0)
    checks.push(...stop('nothing-picked', 'Nothing is picked', 'Pick copies of apps in the list.'));
  if (models.length > 1)
    checks.push(
      ...stop(
        'wrong-model',
        'They are of several models',
        `${listText(models)}: an archive is for one model.`,
      ),
    );
  of(
    ({ app }, i) => packages.indexOf(app.package) !== i,
    (labels) => ({
      id: 'two-for-one',
      severity: 'stop',
      title: 'Two copies of one app',
      sentence: `${labels}: pick one copy of each app.`,
    }),
  );
  of(
    ({ isDamaged }) => isDamaged,
    (labels) => ({
      id: 'image-damaged',
      severity: 'stop',
      title: 'Damaged on the shelf',
      sentence: `${labels}: parts of it are damaged. Pick another copy.`,
    }),
  );
  of(
    ({ app }) => userOf(app.uid) !== 0,
    (labels) => ({
      id: 'another-user',
      severity: 'stop',
      title: 'Of another user',
      sentence: `${labels}: it is not of the phone’s owner, for whom alone a recovery can tell the place.`,
    }),
  );
  of(
    ({ app }) => !isAppId(appIdOf(app.uid)),
    (labels) => ({
      id: 'part-of-system',
      severity: 'stop',
      title: 'A part of the system',
      sentence: `${labels}: its data belongs to one build. Put it back with the bench, which knows the build.`,
    }),
  );
  of(
    ({ app }) => app.sdk === undefined,
    (labels) => ({
      id: 'needs-newer-android',
      severity: 'stop',
      title: 'Of an unknown Android',
      sentence: `${labels}: the copy does not say which Android it is of. Copy it again.`,
    }),
  );
  if (bytes > mostCarriedBytes)
    checks.push(
      ...stop(
        'archive-too-large',
        'Too large for one archive',
        `They have ${sizeText(bytes)}; what every recovery opens has ${sizeText(mostCarriedBytes)} at most. Make several.`,
      ),
    );
  const hasProgram = (copy: AppCopy) => copy.parts.some(({ kind }) => kind === 'program');
  of(
    (copy) => !hasProgram(copy),
    (labels, count) => ({
      id: 'data-without-program',
      severity: 'note',
      title: `${plural(count, 'One app goes', 'apps go')} without the program`,
      sentence: `${labels}: it must be installed on the phone already, in this version or a later one.`,
    }),
  );
  of(
    ({ app, parts }) => app.hasHardwareKeys && parts.some(({ kind }) => kind !== 'program'),
    (labels, count) => ({
      id: 'hardware-keys',
      severity: 'note',
      title: `${plural(count, 'One app', 'apps')} may have to be set up again`,
      sentence: `${labels}: its keys are in the hardware of the phone that it came from. On another phone, or after a reset, its data does not open.`,
    }),
  );
  of(
    ({ app }) => livesOnOnePhone(app.package),
    (labels) => ({
      id: 'one-phone-account',
      severity: 'note',
      title: 'An account lives on one phone at a time',
      sentence: `${labels}: on another phone its owner signs in anew.`,
    }),
  );
  return {
    model: models[0] ?? '',
    sdk: sdkOf(copies),
    bytes,
    apps: copies.length,
    withProgram: copies.filter(hasProgram).length,
    checks: bySeverity([...checks, ...carriedRecordsChecks(records)]),
  };
}

const bytesOfAll = (
  copies: readonly Pick<AppCopy, 'parts'>[],
  records: readonly Pick<CarriedRecords, 'records'>[],
): number =>
  [...copies.flatMap(({ parts }) => parts), ...records.flatMap(({ records: { files } }) => files)].reduce(
    (sum, { bytes }) => sum + bytes,
    0,
  );
const sdkOf = (copies: readonly AppCopy[]) => Math.max(0, ...copies.map(({ app }) => app.sdk ?? 0));

/** The plan of an archive. @param model of the phones that it is for */
export function planOf(
  apps: readonly CarriedApp[],
  model: string,
  records: readonly CarriedRecords[] = [],
): string {
  const lines = [`model ${inLine(model)}`, `sdk ${sdkOf(apps.map(({ copy }) => copy))}`];
  const bytes = bytesOfAll(
    apps.map(({ copy }) => copy),
    records,
  );
  lines.push(`kib ${roomFor(bytes)}`);
  for (const [i, { copy, programs, folders }] of apps.entries()) {
    const { app } = copy;
    const number = i + 1;
    lines.push(`app ${number} ${app.package} ${app.versionCode} ${programs.length} ${inLine(app.label)}`);
    for (const { member, name, sha256 } of programs)
      lines.push(`program ${number} ${member} ${name} ${sha256}`);
    // What was granted goes along with a program: the one that is installed already has its own.
    for (const { name, granted } of programs.length > 0 ? app.permissions : [])
      if (granted && isPermission(name)) lines.push(`grant ${number} ${name}`);
    for (const { kind, member, sum } of folders) {
      const folder = folderOf(kind, app.package, 'recovery').replace(/^\/data\//, '');
      lines.push(`part ${number} ${member} ${folder} ${isShared(kind) ? 'shared' : 'app'} ${sum} ${app.uid}`);
    }
  }
  return `${[...lines, ...recordLines(records)].join('\n')}\n`;
}
