import type { CopyView } from '@keen-larder/contract/copies.ts';
import {
  folderKinds,
  folderOf,
  hasPart,
  type FolderKind,
  type PartKind,
} from '@keen-larder/core/apps/copies.ts';
import { EntryPlacer } from '@keen-larder/core/apps/entries.ts';
import { appIdOf, sharedStorageOwners, userOf } from '@keen-larder/core/apps/ids.ts';
import { rewrittenTar } from '../../formats/tar-rewrite.ts';
import { digestedFiles, type ArchivedEntry } from '../../formats/tar.ts';
import type { AppCopies } from '../../larder/copies.ts';
import { type PhoneLink } from '../../links/phone-link.ts';
import { readImage } from '../../shelf/image-reader.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import { compareUnpacked, filesAmong } from '../imaging/archive-taking.ts';
import { someOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { counted } from '../../async/counted.ts';
import type { Attempt } from '../phone/phone-at-work.ts';
import { PhoneRefusal, asOnePart, traitsOf } from '../../failures.ts';
import { putHome } from './home/at-home.ts';
import { filesOf, foldersOf, workOf } from '../phone/phone-access.ts';
import type { Run } from '../engine/live-run.ts';

/** A copy, what of it goes, and where it is read from. */
export interface PutApp {
  readonly copy: CopyView;
  readonly parts: readonly PartKind[];
  readonly copies: AppCopies;
  readonly shelf: Shelf;
}

/** Parts of a copy that are folders and are to go. */
const folderKindsOf = ({ copy, parts }: PutApp): FolderKind[] =>
  folderKinds.filter((kind) => parts.includes(kind) && copy.parts.some((part) => part.kind === kind));

const modeOf = ({ mode }: PhoneLink) => (mode === 'recovery' ? 'recovery' : 'system');

/** Does something to one app; what the phone or the copy refuses is that app's failure alone. */
const orPartFailure = <T>(work: () => Promise<T>, undo: () => Promise<string>): Promise<T> =>
  asOnePart(work, async (error) => `${error.message} ${await undo()} ${nextStep(error)}`);

const nextStep = ({ message }: Error): string =>
  /INSUFFICIENT_STORAGE|No space left|no room/i.test(message)
    ? 'Make room on the phone, then put it back again.'
    : /INSTALL_FAILED_UPDATE_INCOMPATIBLE/.test(message)
      ? 'Remove what is installed first.'
      : 'Choose another copy, or put it back by itself.';

/**
 * Stops the app, installs its program, puts its data in place, and sets grants and state.
 * @throws PartFailure when the phone or the copy will not, and the app is as it was
 */
export async function putWhole(attempt: Attempt, put: PutApp, run: Run): Promise<string> {
  const { app } = put.copy;
  const work = workOf(attempt.link);
  const before = await work.describe(app.package);
  let isNew = false;
  const undo = async () => {
    if (isNew) await work.uninstall(app.package);
    return 'It is as it was before.';
  };
  return orPartFailure(async () => {
    if (before) await work.stop(app.package);
    const said: string[] = [];
    if (put.parts.includes('program') && hasPart(put.copy, 'program')) {
      said.push(await installProgram(attempt, put));
      isNew = !before;
      await work.stop(app.package);
    }
    if (folderKindsOf(put).length > 0) {
      const now = await work.describe(app.package);
      if (!now && !app.isLeftover) throw new PhoneRefusal(`${app.label} is not installed.`);
      said.push(await exchangeData(attempt, put, now?.uid ?? app.uid));
    }
    said.push(...(await setState(attempt, put, run)));
    return said.join('; ');
  }, undo);
}

/** Installs the program alone. @throws PartFailure */
export async function putProgram(attempt: Attempt, put: PutApp): Promise<string> {
  return orPartFailure(
    () => installProgram(attempt, put),
    () => Promise.resolve('Nothing of it was changed.'),
  );
}

/** Puts the data in place of an app that is installed, in recovery. @throws PartFailure, and the data is as it was */
export async function putData(attempt: Attempt, put: PutApp): Promise<string> {
  const name = put.copy.app.package;
  return orPartFailure(
    async () => {
      const list = await filesOf(attempt.link).text('/data/system/packages.list');
      const uid = list
        ?.split('\n')
        .map((line) => line.split(' '))
        .find(([each]) => each === name)?.[1];
      if (!uid) throw new PhoneRefusal(`${put.copy.app.label} is not installed.`);
      return exchangeData(attempt, put, Number(uid));
    },
    () => Promise.resolve('Its program is installed, its data is as it was.'),
  );
}

/** Grants and whether it is enabled, as they were when it was copied. */
export async function putState(attempt: Attempt, put: PutApp, run: Run): Promise<string> {
  return orPartFailure(
    async () => (await setState(attempt, put, run)).join('; ') || 'as kept already',
    () => Promise.resolve('Its program and data are in place.'),
  );
}

async function installProgram(
  { link, signal, passed }: Attempt,
  { copy, copies, shelf }: PutApp,
): Promise<string> {
  const programs = copy.parts.filter(({ kind }) => kind === 'program');
  const parts = programs.map(({ name, bytes }) => ({
    name,
    bytes,
    content: () => counted(readImage(shelf, copies.part(copy.id, name)), passed),
  }));
  const { installer, home } = copy.app;
  const ownsUpdates = installer !== undefined && home?.updateOwner === installer;
  await workOf(link).install(parts, { installer, ownsUpdates, mayDowngrade: true }, signal);
  return `version ${copy.app.versionName ?? copy.app.versionCode} installed`;
}

/**
 * Puts all folders beside what is there, proves them, and exchanges them; what was there stays until then, and
 * is put back when anything fails.
 */
async function exchangeData(attempt: Attempt, put: PutApp, uid: number): Promise<string> {
  const { app } = put.copy;
  const own = foldersOf(attempt.link);
  const kinds = folderKindsOf(put);
  const folders = kinds.map((kind) => folderOf(kind, app.package, modeOf(attempt.link), attempt.link.user));
  const asBefore = async () => {
    for (const folder of folders) if (await own.hasFolder(folder)) await own.rollBack(folder);
  };
  await asBefore();
  try {
    let files = 0;
    for (const [i, kind] of kinds.entries()) files += await stageFolder(attempt, put, kind, folders[i]!, uid);
    for (const folder of folders) await own.swap(folder);
    for (const folder of folders) await own.settle(folder);
    const owner = uid === app.uid ? `owner ${uid}` : `owner ${app.uid} → ${uid}`;
    return `${files} ${files === 1 ? 'file' : 'files'} in place and proved, ${owner}`;
  } catch (error) {
    if (traitsOf(error).isOfOnePart) await asBefore();
    throw error;
  }
}

/** Unpacks a part beside what is there, with the owners and labels of its new place, and proves it. */
async function stageFolder(
  { link, signal, passed }: Attempt,
  { copy, copies, shelf }: PutApp,
  kind: FolderKind,
  folder: string,
  uid: number,
): Promise<number> {
  const files = filesOf(link);
  const [there] = (await files.owners(folder, ['.'], signal)).values();
  const isShared = kind !== 'data' && kind !== 'device-data';
  const placer = new EntryPlacer(
    { user: userOf(copy.app.uid), appId: appIdOf(copy.app.uid) },
    { user: userOf(uid), appId: appIdOf(uid) },
    there?.label,
    isShared ? sharedStorageOwners : [],
  );
  const { name } = copy.parts.find((part) => part.kind === kind)!;
  const part = copies.part(copy.id, name);
  const entries = new Map<string, ArchivedEntry>();
  const placed = rewrittenTar(counted(readImage(shelf, part), passed), (entry) => placer.place(entry));
  // What an app left has no folder where it was cleared away.
  const owner = copy.app.isLeftover && !isShared ? uid : undefined;
  const next = await foldersOf(link).stage(folder, digestedFiles(placed, entries), signal, owner);
  const { differ } = await compareUnpacked(files, next, entries, part.bytes, signal);
  if (differ.length > 0) throw new PhoneRefusal(`${someOf(differ)} did not come out on the phone as kept.`);
  return filesAmong(entries).size;
}

async function setState({ link }: Attempt, { copy: { app } }: PutApp, run: Run): Promise<string[]> {
  const work = workOf(link);
  const now = await work.describe(app.package);
  const granted = new Map(now?.permissions.map((each) => [each.name, each.granted]));
  let changed = 0;
  for (const { name, granted: was } of app.permissions) {
    if (!granted.has(name) || granted.get(name) === was) continue;
    try {
      await work.setGranted(app.package, name, was);
      changed++;
    } catch (error) {
      if (!(error instanceof PhoneRefusal)) throw error;
      run.log(`${app.label}: ${name} stays as it is: ${error.message}`, 'warning');
    }
  }
  if (now && now.isEnabled !== app.isEnabled) await work.setEnabled(app.package, app.isEnabled);
  const grants = changed > 0 ? [`${changed} ${changed === 1 ? 'grant' : 'grants'} as kept`] : [];
  return [...grants, ...(await putHome(link, app, run))];
}
