import { posix } from 'node:path';
import type { AppInside } from '@keen-larder/contract/copies.ts';
import type { TakingOutStart } from '@keen-larder/contract/requests/apps.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { leftOut, partNameOf, type DataFile } from '@keen-larder/core/apps/copies.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { imagingBattery, roomForCopies, type Check } from '@keen-larder/core/runsheet/run-sheets.ts';
import { dataFiles, stampOf } from '../../formats/data-stamp.ts';
import { sourceBytes } from '../../formats/file-source.ts';
import { digestedFiles, type ArchivedEntry } from '../../formats/tar.ts';
import { appInside, findApps, pickApps, type FoundApp } from '../../larder/inside/apps-inside.ts';
import type { NewPart } from '../../larder/copies-of-a-kind.ts';
import { openUserData, userDataOn, type UserData } from '../../larder/inside/user-data.ts';
import type { SetWriter } from '../../shelf/set-writer.ts';
import { type FileAccess } from '../../links/phone-link.ts';
import { copyBatch, type BatchApp, type TakenCopy } from './app-batch.ts';
import { filesAmong, filesNotReadable } from '../imaging/archive-taking.ts';
import { someOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { onPhone, requireClear } from '../engine/start-run.ts';
import type { RunContext } from '../engine/run-context.ts';
import { mostReadings } from './copying.ts';
import { PhoneAtWork, type Attempt } from '../phone/phone-at-work.ts';
import { PartFailure, PhoneRefusal, Problem, RunFailure } from '../../failures.ts';
import { filesOf } from '../phone/phone-access.ts';

const userDataImages = ['userdata', 'userdata-files'];

/** Apps within a kept image of user data. @throws Problem 409 where it cannot be read, as when it is encrypted */
export async function appsInside(
  context: RunContext,
  setId: string,
  partition: string,
): Promise<AppInside[]> {
  return (await findApps(await open(context, setId, partition))).map(appInside);
}

async function open({ larder }: RunContext, setId: string, partition: string): Promise<UserData> {
  const image = larder.image(setId, partition);
  if (!userDataImages.includes(partition))
    throw new Problem(409, `${partition} holds no apps of the owner’s.`);
  try {
    return await openUserData(larder.shelf, image);
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    throw new Problem(
      409,
      'This image of user data cannot be read into: it is encrypted, or no ext4. Put it back onto its phone, and copy the apps there.',
    );
  }
}

/** Takes apps out of a kept image of user data, as copies of the time of its set; no phone is needed. */
export async function startTakingOut(
  context: RunContext,
  setId: string,
  partition: string,
  { packages }: TakingOutStart,
): Promise<RunView> {
  const { engine, larder } = context;
  const set = larder.detail(setId);
  if (set.firmware) throw new Problem(409, 'Firmware is of a model: a copy of an app belongs to a phone.');
  const data = await open(context, setId, partition);
  const picked = await pickApps(data, packages);
  await requireRoom(context, picked);
  const { serial, maker, model, nickname, createdAt } = set;
  const from = { phone: { serial, maker, model, nickname }, createdAt, origin: 'image' } as const;
  return engine.start(
    {
      kind: 'copying',
      title: `Take ${picked.length === 1 ? picked[0]!.app.label : `${picked.length} apps`} out of “${set.label}”`,
      setId,
      steps: picked.map((each) => stepOf('Take out', each)),
    },
    (run) =>
      larder.whileWriting(async () => {
        const { outcome } = await copyBatch(context, run, from, appsOf(picked), (index, writer, passed) =>
          takeOut(data, picked[index]!, writer, passed),
        );
        return `${outcome} As of the set’s time.`;
      }),
  );
}

/**
 * Apps that the owner of a phone in recovery had installed, read from its files.
 * @throws Problem 409 where these cannot be read
 */
export async function appsInRecovery(context: RunContext, serial: string): Promise<AppInside[]> {
  return (await findApps(userDataOn(await readable(context, serial)))).map(appInside);
}

async function readable({ bench }: RunContext, serial: string): Promise<FileAccess> {
  const { files, mode } = bench.link(serial);
  if (mode !== 'recovery' || !files) throw new Problem(409, 'Apps are read from files in recovery alone.');
  if (!(await files.ready()))
    throw new Problem(
      409,
      'This recovery cannot read user data: it is encrypted, or damaged. Apps are copied from the running system.',
    );
  return files;
}

/** Copies apps of a phone in recovery from its files, each compared with the phone's own digest of it. */
export async function startTakingInRecovery(
  context: RunContext,
  serial: string,
  { packages }: TakingOutStart,
): Promise<RunView> {
  const { bench, engine, larder, retryPolicy } = context;
  const picked = await pickApps(userDataOn(await readable(context, serial)), packages);
  await requireRoom(context, picked, imagingBattery(bench.facts(serial).battery));
  const { nickname, maker, model } = bench.view(serial);
  const from = { phone: { serial, maker, model, nickname } };
  const steps = picked.map((each) => stepOf('Copy', each));
  return engine.start(
    {
      kind: 'copying',
      title: `Copy ${picked.length} ${picked.length === 1 ? 'app' : 'apps'} of ${nickname}, in recovery`,
      ...onPhone(context, serial),
      canPause: true,
      steps,
    },
    (run) =>
      larder.whileWriting(async () => {
        const left = 'The copies before it are kept';
        const phone = new PhoneAtWork(bench, serial, 'recovery', run, retryPolicy, left);
        const { outcome } = await copyBatch(context, run, from, appsOf(picked), (index, writer, passed) => {
          return phone.retry({
            what: steps[index]!.text,
            passed,
            attempt: (attempt) => takeCompared(attempt, picked[index]!, writer),
            onBreak: () => writer.seal(),
          });
        });
        return outcome;
      }),
  );
}

const stepOf = (what: string, { app, programs }: FoundApp) => ({
  text: `${what} ${app.label}`,
  app: app.package,
  bytes: programs.reduce((sum, { bytes }) => sum + bytes, 0),
});

const appsOf = (picked: readonly FoundApp[]): BatchApp[] => picked.map(({ app }) => app);

/** @throws Problem 422 where the shelf has no room even for the programs, or something else stands in the way */
async function requireRoom(
  { larder }: RunContext,
  picked: readonly FoundApp[],
  others: readonly Check[] = [],
): Promise<void> {
  const bytes = picked.reduce((sum, each) => sum + appInside(each).programBytes, 0);
  const checks = [...roomForCopies(bytes, (await larder.shelf.space()).freeBytes), ...others];
  // There is no sheet here on which anything could be confirmed.
  requireClear({ checks: checks.filter(({ severity }) => severity === 'stop') }, []);
}

/** What was taken out of user data, and the digests of all files in it by their paths there. */
interface TakenOut extends TakenCopy {
  readonly digests: ReadonlyMap<string, string>;
}

/** Takes an app out of the files of a phone, once more if it changed meanwhile. */
async function takeCompared(
  { link, signal, passed }: Attempt,
  app: FoundApp,
  writer: SetWriter,
): Promise<TakenCopy> {
  const access = filesOf(link);
  for (let reading = 1; ; reading++) {
    if (!(await access.ready())) throw new RunFailure(filesNotReadable);
    let done = 0;
    const taken = await takeOut(userDataOn(access), app, writer, (bytes) => {
      done += bytes;
      passed(bytes);
    });
    const present = await access.digests('/data', [...taken.digests.keys()], done, signal);
    const differ = [...taken.digests].filter(([path, digest]) => present.get(path) !== digest);
    if (differ.length === 0) return { ...taken, remark: ', as the phone digests it' };
    if (reading === mostReadings) {
      const names = someOf(differ.map(([path]) => path));
      throw new PhoneRefusal(`${names} of ${app.app.label} did not come out as the phone digests it, twice.`);
    }
    passed(-done);
  }
}

async function takeOut(
  data: UserData,
  { app, programs, folders }: FoundApp,
  writer: SetWriter,
  passed: (bytes: number) => void,
): Promise<TakenOut> {
  const parts: NewPart[] = [];
  const digests = new Map<string, string>();
  const within = (path: string) => path.replace(/^\//, '');
  for (const { name, path } of programs) {
    const file = await data.file(path);
    if (!file) throw new PartFailure(`${path} is not there any more.`);
    const image = writer.image(0);
    await image.take(sourceBytes(file.source, 0, file.bytes), passed);
    const stored = await image.finish();
    digests.set(within(path), stored.sha256.toString('hex'));
    parts.push({ name, kind: 'program', stored });
  }
  const files: DataFile[] = [];
  for (const { kind, path } of folders) {
    const entries = new Map<string, ArchivedEntry>();
    const image = writer.image(0);
    await image.take(digestedFiles(data.archive(path, leftOut), entries), passed);
    parts.push({ name: partNameOf(kind), kind, stored: await image.finish() });
    for (const [name, digest] of filesAmong(entries)) digests.set(within(posix.join(path, name)), digest);
    if (kind === 'data' || kind === 'device-data') files.push(...dataFiles(kind, entries));
  }
  return { facts: { ...app, stamp: stampOf(files) }, parts, remark: '', digests };
}
