import { posix } from 'node:path';
import type { AppInside } from '@keen-larder/contract/copies.ts';
import type { TakingOutStart } from '@keen-larder/contract/requests.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { leftOut, partNameOf, type DataFile } from '@keen-larder/core/apps/copies.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { stampOf } from '../formats/data-stamp.ts';
import { sourceBytes } from '../formats/file-source.ts';
import { digestedFiles, type ArchivedEntry } from '../formats/tar.ts';
import { appInside, findApps, type FoundApp } from '../larder/apps-inside.ts';
import type { NewPart } from '../larder/copies.ts';
import { openUserData, userDataOn, type UserData } from '../larder/user-data.ts';
import { Problem } from '../problem.ts';
import { SetWriter } from '../shelf/set-writer.ts';
import { LinkFailure, type FileAccess } from '../links/phone-link.ts';
import { filesAmong, filesNotReadable, filesOf, someOf } from './archive-taking.ts';
import type { RunContext } from './context.ts';
import { dataFiles } from './copying.ts';
import { RunFailure } from './engine.ts';
import { PhoneAtWork } from './phone-at-work.ts';

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
  const data = await open(context, setId, partition);
  const picked = pickedAmong(await findApps(data), packages);
  return engine.start(
    {
      kind: 'copying',
      title: `Take ${picked.length === 1 ? picked[0]!.app.label : `${picked.length} apps`} out of “${set.label}”`,
      setId,
      steps: picked.map((each) => stepOf('Take out', each)),
    },
    (run) =>
      larder.whileWriting(async () => {
        const writer = new SetWriter(larder.shelf);
        try {
          for (const [index, app] of picked.entries()) {
            await run.step(index, async (passed, resize) => {
              run.signal.throwIfAborted();
              const before = writer.addedBytes;
              const { parts, files } = await takeOut(data, app, writer, passed);
              await writer.seal();
              const { serial, maker, model, nickname, createdAt } = set;
              await larder.copies.add({
                phone: { serial, maker, model, nickname },
                createdAt,
                addedBytes: writer.addedBytes - before,
                origin: 'image',
                facts: { ...app.app, stamp: stampOf(files) },
                parts,
              });
              larder.copies.changed();
              const bytes = parts.reduce((sum, { stored }) => sum + stored.bytes, 0);
              resize(bytes);
              return sizeText(bytes);
            });
          }
        } finally {
          await writer.discard();
        }
        return `${picked.length === 1 ? 'One app is' : `${picked.length} apps are`} in the larder as of the set’s time.`;
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
  const { bench, engine, larder, now, patience } = context;
  const picked = pickedAmong(await findApps(userDataOn(await readable(context, serial))), packages);
  const { nickname, maker, model } = bench.view(serial);
  return engine.start(
    {
      kind: 'copying',
      title: `Copy ${picked.length} ${picked.length === 1 ? 'app' : 'apps'} of ${nickname}, in recovery`,
      serial,
      nickname,
      mode: 'recovery',
      link: bench.link(serial).kind,
      canPause: true,
      steps: picked.map((each) => stepOf('Copy', each)),
    },
    (run) =>
      larder.whileWriting(async () => {
        const phone = new PhoneAtWork(
          bench,
          serial,
          'recovery',
          run,
          patience,
          'The copies before it are kept',
        );
        const writer = new SetWriter(larder.shelf);
        try {
          for (const [index, app] of picked.entries()) {
            await run.step(index, async (passed, resize) => {
              const before = writer.addedBytes;
              let done = 0;
              const { parts, files } = await phone.insist({
                what: `Copy ${app.app.label}`,
                attempt: async ({ link, watch, signal }) => {
                  passed(-done);
                  done = 0;
                  const access = filesOf(link);
                  watch.arm();
                  if (!(await access.ready())) throw new RunFailure(filesNotReadable);
                  watch.rest();
                  const taken = await takeOut(userDataOn(access), app, writer, (bytes) => {
                    done += bytes;
                    watch.arm();
                    passed(bytes);
                  });
                  watch.arm(done);
                  await compareWithPhone(access, taken, signal);
                  return taken;
                },
                onBreak: () => writer.seal(),
              });
              await writer.seal();
              await larder.copies.add({
                phone: { serial, maker, model, nickname },
                createdAt: now(),
                addedBytes: writer.addedBytes - before,
                facts: { ...app.app, stamp: stampOf(files) },
                parts,
              });
              larder.copies.changed();
              const bytes = parts.reduce((sum, { stored }) => sum + stored.bytes, 0);
              resize(bytes);
              return `${sizeText(bytes)}, as the phone digests it`;
            });
          }
        } finally {
          await writer.discard();
        }
        return `${picked.length === 1 ? 'One app' : `${picked.length} apps`} copied from the files of ${nickname}.`;
      }),
  );
}

function pickedAmong(found: readonly FoundApp[], packages: readonly string[]): FoundApp[] {
  return packages.map((name) => {
    const app = found.find((each) => each.app.package === name);
    if (!app) throw new Problem(404, `${name} is not among its apps.`);
    return app;
  });
}

const stepOf = (what: string, { app, programs }: FoundApp) => ({
  text: `${what} ${app.label}`,
  app: app.package,
  bytes: programs.reduce((sum, { bytes }) => sum + bytes, 0),
});

/** What was taken out of user data, and the digests of all files in it by their paths there. */
interface TakenOut {
  readonly parts: readonly NewPart[];
  readonly files: readonly DataFile[];
  readonly digests: ReadonlyMap<string, string>;
}

/** @throws LinkFailure naming files that the phone digests otherwise */
async function compareWithPhone(
  files: FileAccess,
  { digests }: TakenOut,
  signal: AbortSignal,
): Promise<void> {
  const now = await files.digests('/data', [...digests.keys()], signal);
  const differ = [...digests].filter(([path, digest]) => now.get(path) !== digest).map(([path]) => path);
  if (differ.length > 0) throw new LinkFailure(`${someOf(differ)} did not come out as the phone digests it.`);
}

async function takeOut(
  data: UserData,
  { programs, folders }: FoundApp,
  writer: SetWriter,
  passed: (bytes: number) => void,
): Promise<TakenOut> {
  const parts: NewPart[] = [];
  const digests = new Map<string, string>();
  const within = (path: string) => path.replace(/^\//, '');
  for (const { name, path } of programs) {
    const file = (await data.file(path))!;
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
  return { parts, files, digests };
}
