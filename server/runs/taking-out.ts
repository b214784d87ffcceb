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
import { openUserData, type UserData } from '../larder/user-data.ts';
import { Problem } from '../problem.ts';
import { SetWriter } from '../shelf/set-writer.ts';
import type { RunContext } from './context.ts';
import { dataFiles } from './copying.ts';

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
  const found = await findApps(data);
  const picked = packages.map((name) => {
    const app = found.find((each) => each.app.package === name);
    if (!app) throw new Problem(404, `${name} is not in this image.`);
    return app;
  });
  return engine.start(
    {
      kind: 'copying',
      title: `Take ${picked.length === 1 ? picked[0]!.app.label : `${picked.length} apps`} out of “${set.label}”`,
      setId,
      steps: picked.map(({ app, programs }) => ({
        text: `Take out ${app.label}`,
        app: app.package,
        bytes: programs.reduce((sum, { bytes }) => sum + bytes, 0),
      })),
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

async function takeOut(
  data: UserData,
  { programs, folders }: FoundApp,
  writer: SetWriter,
  passed: (bytes: number) => void,
): Promise<{ readonly parts: readonly NewPart[]; readonly files: readonly DataFile[] }> {
  const parts: NewPart[] = [];
  for (const { name, path } of programs) {
    const file = (await data.file(path))!;
    const image = writer.image(0);
    await image.take(sourceBytes(file.source, 0, file.bytes), passed);
    parts.push({ name, kind: 'program', stored: await image.finish() });
  }
  const files: DataFile[] = [];
  for (const { kind, path } of folders) {
    const entries = new Map<string, ArchivedEntry>();
    const image = writer.image(0);
    await image.take(digestedFiles(data.archive(path, leftOut), entries), passed);
    parts.push({ name: partNameOf(kind), kind, stored: await image.finish() });
    if (kind === 'data' || kind === 'device-data') files.push(...dataFiles(kind, entries));
  }
  return { parts, files };
}
