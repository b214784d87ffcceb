import { basename } from 'node:path';
import type { CopyingStart } from '@keen-larder/contract/requests/apps.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import {
  folderKinds,
  folderOf,
  leftOut,
  partNameOf,
  type CopiedApp,
  type CopiedUser,
  type DataFile,
  type FolderKind,
} from '@keen-larder/core/apps/copies.ts';
import { whyNoBackup } from '@keen-larder/core/formats/android-backup/eligibility.ts';
import type { AppFacts } from '@keen-larder/core/apps/facts.ts';
import {
  comesByBackup,
  pickedApps,
  type PickedApp,
  type Step,
} from '@keen-larder/core/runsheet/run-sheets.ts';
import { dataFiles, stampOf } from '../../formats/data-stamp.ts';
import { digestedFiles, type ArchivedEntry } from '../../formats/tar.ts';
import type { AppCopies } from '../../larder/copies.ts';
import type { NewPart } from '../../larder/copies-of-a-kind.ts';
import type { SetWriter } from '../../shelf/set-writer.ts';
import { copyBatch } from './app-batch.ts';
import { foldersGiven, passwordOf, takeBackup, type GivenBackup } from './backing-up.ts';
import { readHomes } from './home/at-home.ts';
import { filesAmong } from '../imaging/archive-taking.ts';
import { someOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { onPhone, startRun } from '../engine/start-run.ts';
import type { RunContext } from '../engine/run-context.ts';
import { PhoneAtWork, type Attempt } from '../phone/phone-at-work.ts';
import { PartFailure, PhoneRefusal } from '../../failures.ts';
import { filesOf, foldersOf, workOf } from '../phone/phone-access.ts';
import type { PhoneLink } from '../../links/phone-link.ts';
import type { Run } from '../engine/live-run.ts';

/** A file that changed while it was read is read again so often. */
export const mostReadings = 2;

/**
 * Copies picked apps of a phone into the larder, one after the other; one that fails does not end the batch.
 * @param remark what its log begins with
 * @throws Problem 422 with the checks that stand in the way
 */
export function startCopying(
  context: RunContext,
  serial: string,
  start: CopyingStart,
  remark?: string,
): Promise<RunView> {
  return startRun(context, {
    sheet: () => context.appSheets.copying(serial, start),
    confirmed: start.confirmed,
    seen: start.seen,
    writesShelf: true,
    plan({ steps }) {
      const phone = onPhone(context, serial);
      const apps = steps.length === 1 ? '1 app' : `${steps.length} apps`;
      return { kind: 'copying', title: `Copy ${apps} of ${phone.nickname}`, ...phone, canPause: true };
    },
    async work(run, { steps }) {
      if (remark !== undefined) run.log(remark);
      return (await copyAll(context, serial, steps, start, run)).outcome;
    },
  });
}

/**
 * Copies apps by the first steps of a run, an app a step. @returns what came of it, and the packages that were not copied
 */
export async function copyAll(
  context: RunContext,
  serial: string,
  steps: readonly Step[],
  start: Pick<CopyingStart, 'apps' | 'user' | 'backupPassword'>,
  run: Run,
): ReturnType<typeof copyBatch> {
  const { bench, retryPolicy } = context;
  const { apps: picks, user = 0 } = start;
  const { maker, model } = bench.facts(serial);
  const left = 'The copies before it are kept';
  const phone = new PhoneAtWork(bench, serial, 'system', run, retryPolicy, left, user);
  const { picked, sdk, of } = await phone.retry({
    what: 'List the apps',
    attempt: async ({ link, signal }) => ({
      picked: pickedApps({ installed: (await link.apps?.list(signal)) ?? [], picked: picks }),
      sdk: await workOf(link).sdk(),
      of: user === 0 ? undefined : await copiedUser(link),
    }),
  });
  const homes = await phone.retry({
    what: 'Look what ties them to the phone',
    attempt: ({ link }) =>
      readHomes(
        link,
        picked.map(({ app }) => app.package),
        sdk,
      ),
  });
  const oneOf = (name: string) => picked.find(({ app }) => app.package === name);
  const apps = steps.map(({ app }) => ({ package: app!, label: oneOf(app!)?.app.label ?? app! }));
  const from = { phone: { serial, maker, model, nickname: bench.view(serial).nickname } };
  const facts = bench.facts(serial);
  const askedFor = picked.filter(
    ({ app, parts }) => comesByBackup(facts, parts) && whyNoBackup(app, sdk) === undefined,
  );
  const given = await takeBackup(
    phone,
    run,
    context.larder.shelf,
    askedFor.map(({ app }) => app.package),
    passwordOf(start),
  );
  try {
    return await copyBatch(context, run, from, apps, async (index, set, passed) => {
      const one = oneOf(apps[index]!.package);
      if (!one) throw new PartFailure('It is not on the phone any more.');
      const isByBackup = comesByBackup(facts, one.parts);
      const { parts, stampFiles, wasRunning, sparedBytes } = await phone.retry({
        what: steps[index]!.text,
        passed,
        attempt: (attempt) =>
          isByBackup
            ? takeGiven(attempt, one, set, context.larder.copies, given)
            : takeApp(attempt, one, set, context.larder.copies),
        onBreak: () => set.seal(),
      });
      if (parts.length === 0)
        throw new PartFailure(
          'It has nothing of what was picked: there is nothing to keep. Copy its program.',
        );
      const isAsGiven = isByBackup && parts.some(({ kind }) => kind !== 'program');
      return {
        facts: {
          ...copiedApp(one.app, sdk, stampFiles),
          ...(of && { user: of }),
          home: { ...homes.get(one.app.package), updateOwner: one.app.updateOwner },
          ...(isAsGiven && { isAsGiven }),
        },
        parts,
        sparedBytes,
        remark: isAsGiven
          ? ': its data as the phone’s backup gave it, which nothing was compared with'
          : isByBackup
            ? ': its program, as the phone digests it; the backup has no data of it'
            : `, as the phone digests it${wasRunning ? '; it was stopped first' : ''}`,
      };
    });
  } finally {
    await given.close();
  }
}

/** An app's program as the phone digests it, and of its data what the phone's own backup gave. */
async function takeGiven(
  attempt: Attempt,
  one: PickedApp,
  set: SetWriter,
  copies: AppCopies,
  given: GivenBackup,
): Promise<TakenApp> {
  const program = one.parts.includes('program')
    ? await takeProgram(attempt, one.app, set, copies)
    : { parts: [], sparedBytes: 0 };
  const folders = await foldersGiven(one, given.apps.get(one.app.package), set, attempt.passed);
  return {
    parts: [...program.parts, ...folders.parts],
    stampFiles: folders.files.length > 0 ? folders.files : undefined,
    wasRunning: false,
    sparedBytes: program.sparedBytes,
  };
}

interface TakenApp {
  readonly parts: readonly NewPart[];
  /** Files of its data; undefined when no data was taken. */
  readonly stampFiles: readonly DataFile[] | undefined;
  readonly wasRunning: boolean;
  /** Of programs that are on the shelf already. */
  readonly sparedBytes: number;
}

/** Reads an app's parts onto the shelf and compares each with what the phone digests. */
async function takeApp(
  attempt: Attempt,
  { app, parts }: PickedApp,
  set: SetWriter,
  copies: AppCopies,
): Promise<TakenApp> {
  const work = workOf(attempt.link);
  const folders = folderKinds.filter((kind) => parts.includes(kind));
  if (folders.length > 0) await work.stop(app.package);
  const taken: NewPart[] = [];
  let sparedBytes = 0;
  if (parts.includes('program')) {
    const program = await takeProgram(attempt, app, set, copies);
    taken.push(...program.parts);
    ({ sparedBytes } = program);
  }
  // Without root there is nobody to ask for folders.
  const data = folders.length > 0 ? await takeFolders(attempt, app, folders, set) : { parts: [], files: [] };
  return {
    parts: [...taken, ...data.parts],
    stampFiles: folders.some((kind) => kind === 'data' || kind === 'device-data') ? data.files : undefined,
    wasRunning: folders.length > 0 && app.isRunning,
    sparedBytes,
  };
}

/** Those of an app's folders that are there. */
async function takeFolders(
  attempt: Attempt,
  app: Pick<AppFacts, 'package' | 'label'>,
  kinds: readonly FolderKind[],
  set: SetWriter,
): Promise<{ readonly parts: readonly NewPart[]; readonly files: readonly DataFile[] }> {
  const { link, signal } = attempt;
  const own = foldersOf(link);
  const pathOf = (kind: FolderKind) => folderOf(kind, app.package, 'system', link.user);
  const there = await own.look(kinds.map(pathOf), signal);
  // Every app has such a folder, which is not seen while the files are encrypted.
  if (kinds.includes('data') && !there.has(pathOf('data'))) await mustBeOpen(link);
  const parts: NewPart[] = [];
  const files: DataFile[] = [];
  for (const kind of kinds) {
    const found = there.get(pathOf(kind));
    if (!found) continue;
    // Of an exchange that broke off, what was there before is what is the app's.
    if (found.isBegun) await own.rollBack(pathOf(kind));
    const folder = await takeFolder(attempt, app, kind, set);
    parts.push(folder.part);
    if (kind === 'data' || kind === 'device-data') files.push(...folder.files);
  }
  return { parts, files };
}

/**
 * APKs as they are; the base has one name wherever it came from. What the phone digests as an APK that is on the shelf is that one, of
 * whichever phone it came, and is not read.
 */
export async function takeProgram(
  { link, signal, passed }: Attempt,
  { paths, label, programBytes }: Pick<AppFacts, 'paths' | 'label' | 'programBytes'>,
  set: SetWriter,
  copies: Pick<AppCopies, 'keptProgram'>,
): Promise<{ readonly parts: readonly NewPart[]; readonly sparedBytes: number }> {
  const work = workOf(link);
  const parts: NewPart[] = [];
  let sparedBytes = 0;
  const present = await work.digests(paths, programBytes, signal);
  const wrong: string[] = [];
  for (const [i, path] of paths.entries()) {
    const told = present.get(path);
    let stored = told === undefined ? undefined : await copies.keptProgram(told);
    if (stored) sparedBytes += stored.bytes;
    else {
      const writer = set.image(0);
      await writer.take(work.read(path, signal), passed);
      stored = await writer.finish();
      if (stored.sha256.toString('hex') !== told) wrong.push(path);
    }
    parts.push({ name: i === 0 ? 'base.apk' : basename(path), kind: 'program', stored });
  }
  if (wrong.length > 0)
    throw new PhoneRefusal(`${someOf(wrong)} of ${label} did not come out as the phone digests it.`);
  return { parts, sparedBytes };
}

/** A folder as a tar stream, each file compared with the phone's own digest of it. */
export async function takeFolder(
  { link, signal, passed }: Attempt,
  { package: name, label }: Pick<AppFacts, 'package' | 'label'>,
  kind: FolderKind,
  set: SetWriter,
): Promise<{ part: NewPart; files: DataFile[] }> {
  const work = workOf(link);
  const folder = folderOf(kind, name, 'system', link.user);
  for (let reading = 1; ; reading++) {
    const entries = new Map<string, ArchivedEntry>();
    const writer = set.image(0);
    const stream = foldersOf(link).archive(folder, leftOut, signal);
    await writer.take(digestedFiles(stream, entries), passed);
    const stored = await writer.finish();
    const digests = filesAmong(entries);
    const present = await filesOf(link).digests(folder, [...digests.keys()], stored.bytes, signal);
    const differ = [...digests]
      .filter(([path, digest]) => present.get(path) !== digest)
      .map(([path]) => path);
    if (differ.length === 0)
      return { part: { name: partNameOf(kind), kind, stored }, files: dataFiles(kind, entries) };
    if (reading === mostReadings)
      throw new PhoneRefusal(`${someOf(differ)} of ${label} changed while it was copied, twice.`);
    passed(-writer.taken);
    await work.stop(name);
  }
}

/** @throws PartFailure where a user's files are encrypted still */
async function mustBeOpen({ users, user }: PhoneLink): Promise<void> {
  if ((await users?.list())?.find(({ id }) => id === user)?.isOpen === false)
    throw new PartFailure(
      'Nobody has unlocked it since the phone started, and its data opens only then. Unlock it, then copy it again.',
    );
}

/** Who it is, as the phone tells now. */
async function copiedUser({ users, user }: PhoneLink): Promise<CopiedUser | undefined> {
  const found = (await users?.list())?.find(({ id }) => id === user);
  return found && found.kind !== 'owner' ? { name: found.name, kind: found.kind } : undefined;
}

const copiedApp = (
  app: AppFacts,
  sdk: number | undefined,
  files: readonly DataFile[] | undefined,
): CopiedApp => ({
  package: app.package,
  label: app.label,
  versionCode: app.versionCode,
  versionName: app.versionName,
  uid: app.uid,
  minSdk: app.minSdk,
  targetSdk: app.targetSdk,
  abis: app.abis,
  certificates: app.certificates,
  isBuiltIn: app.isBuiltIn,
  isEnabled: app.isEnabled,
  sharedUserId: app.sharedUserId,
  installer: app.installer,
  permissions: app.permissions,
  hasHardwareKeys: app.hasHardwareKeys,
  sdk,
  ...(files && { stamp: stampOf(files) }),
});
