import { listText, type Check } from '../runsheet/check.ts';
import { recordKind, sideFiles, type CopiedRecords, type RecordFile } from './kinds.ts';

/**
 * What an archive that a recovery installs has to say of records, in the form of `planOf`: `record NUMBER SDK TITLE`, with 0 for any
 * Android; `place NUMBER PATH` for each file or folder of files that they take the place of; `item NUMBER MEMBER MODE OWNER LABEL SHA-256
 * PATH` for each file. Paths are from user data's own root on; owner (`UID:GID`) and label are `-` where the phone's own hold.
 */
export interface CarriedRecords {
  readonly records: CopiedRecords;
  readonly items: readonly { readonly member: string; readonly file: RecordFile; readonly sha256: string }[];
}

/** Ids below are the platform's, the same on every phone (AOSP, android_filesystem_config.h). */
const firstAppId = 10_000;
/** What a line may have, and what a shell reads from it as it is. */
const isInLine = (path: string) =>
  !/\p{Cc}/u.test(path) && path === path.trim() && !/ (?:\/|$)|\/ /.test(path);
/** Of a type alone; with categories it is of one app on one phone. */
const isOfPlatform = (label: string) => /^u:object_r:[a-z0-9_]+:s0$/.test(label);

/** Why records may not go into an archive, in a sentence; undefined where they may. */
export function whyNotCarried({ kind, missing, sdk, files }: CopiedRecords): string | undefined {
  const { reach, why } = recordKind(kind);
  if (reach === 'build') return why;
  if (missing !== undefined)
    return 'A content provider told it: it is there to be read, and cannot be put back.';
  if (reach === 'android' && sdk === undefined) return 'Its copy does not say which Android it is of.';
  const odd = files.find(({ path }) => !isInLine(path));
  if (odd) return `${odd.path} has a name that no list of an archive has room for.`;
  return files.length === 0 ? 'There are no files in it.' : undefined;
}

export function recordLines(all: readonly CarriedRecords[]): string[] {
  const lines: string[] = [];
  for (const [i, { records, items }] of all.entries()) {
    const { title, reach, files } = recordKind(records.kind);
    const number = i + 1;
    lines.push(`record ${number} ${reach === 'android' ? records.sdk : 0} ${title}`);
    for (const path of files.flatMap((each) => [each, ...sideFiles(each)]))
      lines.push(`place ${number} ${path.slice(1)}`);
    for (const { member, file, sha256 } of items) {
      const owner = file.uid < firstAppId && file.gid < firstAppId ? `${file.uid}:${file.gid}` : '-';
      const label = file.label !== undefined && isOfPlatform(file.label) ? file.label : '-';
      const mode = (file.mode & 0o777).toString(8);
      lines.push(`item ${number} ${member} ${mode} ${owner} ${label} ${sha256} ${file.path.slice(1)}`);
    }
  }
  return lines;
}

/** Records that are wanted in an archive. */
export interface WantedRecords {
  readonly records: CopiedRecords;
  readonly isDamaged: boolean;
}

/** What is to be known of records in an archive, and what stands in the way. */
export function carriedRecordsChecks(wanted: readonly WantedRecords[]): Check[] {
  const titleOf = ({ records }: WantedRecords) => recordKind(records.kind).title;
  const checks: Check[] = [];
  const kinds = wanted.map(({ records }) => records.kind);
  const twice = wanted.filter(({ records }, i) => kinds.indexOf(records.kind) !== i);
  if (twice.length > 0)
    checks.push({
      id: 'two-for-one',
      severity: 'stop',
      title: 'Two copies of the same records',
      sentence: `${listText([...new Set(twice.map(titleOf))])}: pick one copy of each kind.`,
    });
  for (const each of wanted) {
    const why = each.isDamaged ? 'its copy is damaged on the shelf' : whyNotCarried(each.records);
    if (why !== undefined)
      checks.push({
        id: each.isDamaged ? 'image-damaged' : 'part-of-system',
        severity: 'stop',
        title: `${titleOf(each)} may not travel`,
        sentence: `${titleOf(each)}: ${why.charAt(0).toLowerCase()}${why.slice(1).replace(/\.$/, '')}.`,
      });
  }
  if (wanted.length === 0) return checks;
  const bound = wanted.filter(({ records }) => recordKind(records.kind).reach === 'android');
  const levels = [...new Set(bound.flatMap(({ records }) => records.sdk ?? []))];
  checks.push({
    id: 'data-replaced',
    severity: 'note',
    title: 'Records take the place of the phone’s own',
    sentence: [
      `${listText(wanted.map(titleOf))}: what the phone has of them goes.`,
      ...(bound.length > 0
        ? [`${listText(bound.map(titleOf))}: only onto Android API level ${levels.join(', ')}.`]
        : []),
    ].join(' '),
  });
  const secret = wanted.filter(({ records }) => recordKind(records.kind).hasSecrets);
  if (secret.length > 0)
    checks.push({
      id: 'has-secrets',
      severity: 'note',
      title: 'The archive holds passphrases',
      sentence: `${listText(secret.map(titleOf))}: whoever has the archive can read them in it.`,
    });
  return checks;
}
