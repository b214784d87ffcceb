import type { Apk } from '../formats/apk/apk.ts';
import type { NamedPhone } from '../phone/facts.ts';
import {
  folderKinds,
  partNameOf,
  type CopiedApp,
  type CopyPart,
  type FolderKind,
  type PartKind,
} from './copies.ts';
import type { CopyDescription } from './description.ts';

/** What was found in a file that belongs to an app: a program, or an archive of one of its folders. */
export type AppContent = (
  | { readonly kind: 'program'; readonly apk: Apk }
  /** @property uid who owns what is in it; undefined where no app does */
  | { readonly kind: 'folder'; readonly uid: number | undefined }
) & {
  /** What the backup that it lies in says of the app. */
  readonly told?: CopiedApp;
};

/** A file that came. */
export interface IncomingPart {
  /** Where it lies, with `/` between. */
  readonly path: string;
  readonly bytes: number;
  readonly content: AppContent;
}

export interface PlannedPart {
  readonly path: string;
  /** In the copy. */
  readonly name: string;
  readonly kind: PartKind;
  readonly bytes: number;
  /** What its description says; left out without one. */
  readonly sha256?: string;
}

/** A copy to be made of files. */
export interface PlannedCopy {
  /** Of its first file. */
  readonly path: string;
  readonly parts: readonly PlannedPart[];
  /** What the description or the program says; left out for an archive of nobody knows which app. */
  readonly app?: CopiedApp;
  /** Its files are data alone, and the backup that they came in says of which version. */
  readonly isTold?: true;
  /** The phone and the time that its description tells. */
  readonly from?: NamedPhone;
  readonly copiedAt?: number;
  /** Which app it may be of, by the file's name. */
  readonly guess?: string;
  /** Why it cannot be kept. */
  readonly fault?: string;
}

const folderOfPath = (path: string) => path.slice(0, path.lastIndexOf('/') + 1);
const nameOfPath = (path: string) => path.slice(path.lastIndexOf('/') + 1);

/**
 * Which copies of apps are to be made of files: those that a description names belong together; without one,
 * a program, its splits and the archives beside it; what remains is data of an app that somebody has to name.
 * @param descriptions by the folder that they lie in, with its `/`
 */
export function planCopies(
  files: readonly IncomingPart[],
  descriptions: ReadonlyMap<string, CopyDescription>,
): PlannedCopy[] {
  const byFolder = new Map<string, IncomingPart[]>();
  for (const file of files) {
    const folder = folderOfPath(file.path);
    byFolder.set(folder, [...(byFolder.get(folder) ?? []), file]);
  }
  for (const folder of descriptions.keys()) if (!byFolder.has(folder)) byFolder.set(folder, []);
  return [...byFolder].flatMap(([folder, within]) => {
    const description = descriptions.get(folder);
    if (description) return [described(folder, description, within)];
    const copies = undescribed(within);
    const again = againIn(folder, copies, byFolder);
    return again ? [again] : copies;
  });
}

/** Folders that the platform's bundle tool puts beside those of splits, with the same app once more (from memory). */
const forOthers: Readonly<Record<string, string>> = {
  standalones: 'whole programs for phones before Android 5',
  instant: 'programs that are tried without being installed',
};

/** An app that is kept as the splits beside it. */
function againIn(
  folder: string,
  copies: readonly PlannedCopy[],
  byFolder: ReadonlyMap<string, readonly IncomingPart[]>,
): PlannedCopy | undefined {
  const name = nameOfPath(folder.slice(0, -1));
  const beside = byFolder.get(`${folder.slice(0, -name.length - 1)}splits/`);
  const what = forOthers[name];
  const [first] = copies;
  if (!what || !beside || !first?.app) return undefined;
  const splits = new Set(undescribed(beside).map(({ app, fault }) => (fault ? undefined : appKey(app))));
  if (!copies.every(({ app }) => app && splits.has(appKey(app)))) return undefined;
  const { app, path } = first;
  return {
    path,
    parts: [],
    app,
    fault: `These are ${what}. ${app.label} is taken in from the splits beside them.`,
  };
}

const appKey = (app: CopiedApp | undefined) => app && `${app.package} ${app.versionCode}`;

function described(
  folder: string,
  { app, phone, copiedAt, files }: CopyDescription,
  within: readonly IncomingPart[],
): PlannedCopy {
  const parts: PlannedPart[] = [];
  const wrong: string[] = [];
  for (const { name, kind, bytes, sha256 } of files) {
    const file = within.find(({ path }) => nameOfPath(path) === name);
    if (!file) wrong.push(`${name} is missing`);
    else if (file.bytes !== bytes) wrong.push(`${name} has ${file.bytes} of ${bytes} bytes`);
    else if ((file.content.kind === 'program') !== (kind === 'program'))
      wrong.push(`${name} is no ${kind === 'program' ? 'program' : 'archive of files'}`);
    else parts.push({ path: file.path, name, kind, bytes, sha256 });
  }
  const strange = within
    .map((each) => each.content)
    .find((content) => content.kind === 'program' && content.apk.package !== app.package);
  if (strange) wrong.push(`there is a program of another app beside ${app.package}`);
  if (parts.length === 0) wrong.push('it names no file');
  return {
    path: parts[0]?.path ?? folder,
    parts,
    app,
    from: phone,
    copiedAt: Date.parse(copiedAt),
    ...(wrong.length > 0 && { fault: `Its description does not fit: ${wrong.join(', ')}.` }),
  };
}

function undescribed(within: readonly IncomingPart[]): PlannedCopy[] {
  const programs = new Map<string, { readonly file: IncomingPart; readonly apk: Apk }[]>();
  const archives: IncomingPart[] = [];
  for (const file of within) {
    const { content } = file;
    if (content.kind === 'folder') archives.push(file);
    else {
      const key = `${content.apk.package} ${content.apk.versionCode}`;
      programs.set(key, [...(programs.get(key) ?? []), { file, apk: content.apk }]);
    }
  }
  const taken = new Set<IncomingPart>();
  const copies = [...programs.values()].map((all): PlannedCopy => {
    const name = all[0]!.apk.package;
    const own = archives.filter(
      (each) => !taken.has(each) && (isNamedAfter(each, name) || (programs.size === 1 && partKindOf(each))),
    );
    const folders = new Map(own.map((each) => [partKindOf(each) ?? 'data', each] as const));
    for (const each of folders.values()) taken.add(each);
    return ofProgram(all, folders);
  });
  const left = archives.filter((each) => !taken.has(each));
  const told = left.find(({ content }) => content.told)?.content.told;
  return [...copies, ...(told ? [ofFolders(left, told)] : left.map(ofArchive))];
}

/** Folders of one app, in the folder of a backup that has no program of it. */
const ofFolders = (archives: readonly IncomingPart[], app: CopiedApp): PlannedCopy => ({
  path: archives[0]!.path,
  parts: archives.map((each) => {
    const kind = partKindOf(each) ?? 'data';
    return partOf(each, kind, partNameOf(kind));
  }),
  app,
  isTold: true,
});

/** An archive's name without what its packing adds. */
const stemOf = ({ path }: IncomingPart) =>
  nameOfPath(path).replace(/\.(?:tgz|tar(?:\.(?:gz|gzip|zst|zstd|xz))?)$/i, '');
/** `data.tar`, as an exported copy has it. */
const partKindOf = (file: IncomingPart): FolderKind | undefined =>
  folderKinds.find((kind) => stemOf(file) === kind);
/** `example.tidebook.tar`, `example.tidebook-40.tar.gz` */
const isNamedAfter = (file: IncomingPart, name: string) =>
  stemOf(file) === name || stemOf(file).startsWith(`${name}-`);

const partOf = ({ path, bytes }: IncomingPart, kind: PartKind, name: string): PlannedPart => ({
  path,
  name,
  kind,
  bytes,
});

function ofProgram(
  all: readonly { readonly file: IncomingPart; readonly apk: Apk }[],
  folders: ReadonlyMap<FolderKind, IncomingPart>,
): PlannedCopy {
  const bases = all.filter(({ apk }) => !apk.split);
  const splits = all.flatMap(({ file, apk }) =>
    apk.split ? [partOf(file, 'program', `split_${apk.split}.apk`)] : [],
  );
  const { apk, file } = bases[0] ?? all[0]!;
  const isTwice = new Set(splits.map(({ name }) => name)).size < splits.length || bases.length > 1;
  const fault =
    bases.length === 0
      ? `There are only splits of ${apk.package}: its base is missing.`
      : isTwice
        ? `${apk.package} is there twice. Leave one in another folder.`
        : undefined;
  const owner = [...folders.values()].flatMap(({ content }) =>
    content.kind === 'folder' && content.uid !== undefined ? [content.uid] : [],
  )[0];
  const { told } = file.content;
  return {
    path: file.path,
    parts: [
      partOf(file, 'program', 'base.apk'),
      ...splits,
      ...[...folders].map(([kind, each]) => partOf(each, kind, partNameOf(kind))),
    ],
    app: {
      ...appOf(apk, [...new Set(all.flatMap((each) => each.apk.abis))].sort(), owner ?? 0),
      ...(told && { installer: told.installer, sdk: told.sdk }),
    },
    ...(fault && { fault }),
  };
}

/** What a program alone tells: no grants, and no state. */
const appOf = (apk: Apk, abis: readonly string[], uid: number): CopiedApp => ({
  package: apk.package,
  label: apk.label,
  versionCode: apk.versionCode,
  versionName: apk.versionName,
  uid,
  minSdk: apk.minSdk,
  targetSdk: apk.targetSdk,
  abis,
  certificates: apk.signing?.certificates ?? [],
  isBuiltIn: false,
  isEnabled: true,
  sharedUserId: apk.sharedUserId,
  permissions: [],
  hasHardwareKeys: false,
});

function ofArchive(file: IncomingPart): PlannedCopy {
  const kind = partKindOf(file) ?? 'data';
  const named = /^([A-Za-z]\w*(?:\.\w+)+)(?:-\d+)?$/.exec(stemOf(file))?.[1];
  return {
    path: file.path,
    parts: [partOf(file, kind, partNameOf(kind))],
    ...(named && { guess: named }),
  };
}

/** Whether a description vouches for every byte of it. */
export const isDescribed = ({ parts }: PlannedCopy): boolean =>
  parts.every(({ sha256 }: Partial<CopyPart>) => sha256 !== undefined);
