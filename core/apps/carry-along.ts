import { folderOf, type AppCopy, type FolderKind } from './copies.ts';
import { isAppId, appIdOf, userOf } from './ids.ts';
import { sizeText } from '../bytes/units.ts';

/**
 * What an archive that a recovery installs has to say of its apps: one line for each thing, words apart by one blank, so that
 * the shell of any recovery reads it. `model`, `sdk` and `kib` of room; for each app a line `app NUMBER PACKAGE VERSION PROGRAMS
 * LABEL`; for each of its APKs `program NUMBER MEMBER NAME SHA-256`; for each folder `part NUMBER MEMBER FOLDER app|shared SUM UID`.
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
/** What a line may have: neither its end nor what a shell's `read` takes for a separator at its edges. */
const inLine = (text: string) => text.replace(/\p{Cc}+/gu, ' ').trim() || '?';

const bytesOf = ({ parts }: Pick<AppCopy, 'parts'>) => parts.reduce((sum, { bytes }) => sum + bytes, 0);

/**
 * Why some copies cannot go into one archive.
 * @param models of the phones that they come from
 * @returns a sentence; undefined where they can
 */
export function whyNotCarried(copies: readonly AppCopy[], models: readonly string[]): string | undefined {
  const labels = (some: readonly AppCopy[]) => some.map(({ app }) => app.label).join(', ');
  const packages = copies.map(({ app }) => app.package);
  const twice = copies.filter(({ app }, i) => packages.indexOf(app.package) !== i);
  const others = copies.filter(({ app }) => userOf(app.uid) !== 0);
  const system = copies.filter(({ app }) => !isAppId(appIdOf(app.uid)));
  const nameless = copies.filter(({ app }) => app.sdk === undefined);
  const bytes = copies.reduce((sum, copy) => sum + bytesOf(copy), 0);
  if (copies.length === 0) return 'Pick copies of apps first.';
  if (new Set(models).size > 1)
    return `They come from phones of several models (${[...new Set(models)].join(', ')}). An archive is for one.`;
  if (twice.length > 0) return `There are several copies of ${labels(twice)}: pick one of each app.`;
  if (others.length > 0) return `${labels(others)}: of another user than the phone’s owner.`;
  if (system.length > 0)
    return `${labels(system)}: it runs as a part of the system, and its data belongs to one build.`;
  if (nameless.length > 0)
    return `${labels(nameless)}: nobody knows which Android it was copied from. Copy it again.`;
  if (bytes > mostCarriedBytes)
    return `They have ${sizeText(bytes)}; an archive that every recovery opens has at most ${sizeText(mostCarriedBytes)}. Make several.`;
  return undefined;
}

/** The plan of an archive. @param model of the phones that it is for */
export function planOf(apps: readonly CarriedApp[], model: string): string {
  const sdk = Math.max(...apps.map(({ copy }) => copy.app.sdk ?? 0));
  const lines = [`model ${inLine(model)}`, `sdk ${sdk}`];
  lines.push(`kib ${roomFor(apps.reduce((sum, { copy }) => sum + bytesOf(copy), 0))}`);
  for (const [i, { copy, programs, folders }] of apps.entries()) {
    const { app } = copy;
    const number = i + 1;
    lines.push(`app ${number} ${app.package} ${app.versionCode} ${programs.length} ${inLine(app.label)}`);
    for (const { member, name, sha256 } of programs)
      lines.push(`program ${number} ${member} ${name} ${sha256}`);
    for (const { kind, member, sum } of folders) {
      const folder = folderOf(kind, app.package, 'recovery').replace(/^\/data\//, '');
      lines.push(`part ${number} ${member} ${folder} ${isShared(kind) ? 'shared' : 'app'} ${sum} ${app.uid}`);
    }
  }
  return `${lines.join('\n')}\n`;
}
