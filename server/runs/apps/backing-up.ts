import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { DataFile } from '@keen-larder/core/apps/copies.ts';
import { isInBackup } from '@keen-larder/core/formats/android-backup/eligibility.ts';
import type { PickedApp } from '@keen-larder/core/runsheet/run-sheets.ts';
import {
  readBackupContent,
  type AppInBackup,
  type BackedUpFolder,
} from '../../formats/android-backup/backup-content.ts';
import { BackupLocked, backupTar } from '../../formats/android-backup/backup-stream.ts';
import { begunWith } from '../../async/begun-with.ts';
import { dataFiles } from '../../formats/data-stamp.ts';
import { digestedFiles, type ArchivedEntry } from '../../formats/tar.ts';
import { PhoneRefusal } from '../../failures.ts';
import { imageSource } from '../../larder/inside/image-source.ts';
import type { NewPart } from '../../larder/copies-of-a-kind.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import type { Run } from '../engine/live-run.ts';
import { workOf } from '../phone/phone-access.ts';
import type { PhoneAtWork } from '../phone/phone-at-work.ts';

/** What a phone's own backup gave, by package. It lies on the shelf until it is closed. */
export interface GivenBackup {
  readonly apps: ReadonlyMap<string, AppInBackup>;
  close(): Promise<void>;
}

/**
 * Has the phone back some apps up, once somebody has agreed on its screen: it asks once for all of them, and of none not at all.
 * @param password that is typed on the screen, where the phone asks for one
 * @throws PhoneRefusal where nobody agreed, or with another password
 */
export async function takeBackup(
  phone: PhoneAtWork,
  run: Run,
  shelf: Shelf,
  packages: readonly string[],
  password?: string,
): Promise<GivenBackup> {
  if (packages.length === 0) return { apps: new Map(), close: () => Promise.resolve() };
  const set = new SetWriter(shelf);
  const close = () => set.discard();
  try {
    const taken = await phone.retry({
      what: 'Have the phone back its apps up',
      attempt: async ({ link, signal }) => {
        const given = workOf(link).backUp(packages, signal)[Symbol.asyncIterator]();
        const first = await run.waiting(
          `Waiting for somebody to unlock the phone and agree to the backup on its screen, ${passwordWords(password)}.`,
          () => given.next(),
        );
        if (first.done)
          throw new PhoneRefusal(
            'The phone gave no backup: somebody refused on its screen, or nobody answered within a minute. Start again, and agree there.',
          );
        const image = set.image(0);
        await image.take(backupTar(begunWith(first.value, given), password));
        return image.finish();
      },
      onBreak: () => set.seal(),
    });
    await set.seal();
    const { apps } = await readBackupContent(imageSource(shelf, { ...taken, partition: 'backup' }));
    return { apps: new Map(apps.map((each) => [each.app.package, each])), close };
  } catch (error) {
    await close();
    throw refusalOf(error, password);
  }
}

/** An empty one is none. */
export const passwordOf = ({ backupPassword }: { readonly backupPassword?: string }): string | undefined =>
  backupPassword || undefined;

/** What is to be typed on the phone. */
export const passwordWords = (password: string | undefined): string =>
  password === undefined ? 'without a password' : 'with the password that was told here';

/** What the phone gave is its own doing, as far as it cannot be read. */
function refusalOf(error: unknown, password: string | undefined): unknown {
  if (error instanceof BackupLocked)
    return new PhoneRefusal(
      password === undefined
        ? 'The phone encrypted its backup: a password was typed on its screen. Start again, and leave it empty there, or tell it here as well where the phone insists on one.'
        : 'The password that was told here does not open what the phone gave. Start again, with the one that is typed on its screen.',
    );
  if (error instanceof FormatError)
    return new PhoneRefusal(
      `What the phone gave as its backup cannot be read (${error.message}). Start again; if that stays so, leave the data out.`,
    );
  return error;
}

/** Folders of an app that were picked and given, as parts of its copy. */
export async function foldersGiven(
  { parts }: PickedApp,
  given: AppInBackup | undefined,
  set: SetWriter,
  passed: (bytes: number) => void,
): Promise<{ readonly parts: readonly NewPart[]; readonly files: readonly DataFile[] }> {
  const taken: NewPart[] = [];
  const files: DataFile[] = [];
  const wanted = (given?.folders ?? []).filter(({ kind }) => parts.includes(kind) && isInBackup(kind));
  for (const folder of wanted) {
    const { stored, entries } = await store(folder, set, passed);
    taken.push({ name: folder.name, kind: folder.kind, stored });
    if (folder.kind === 'data' || folder.kind === 'device-data')
      files.push(...dataFiles(folder.kind, entries));
  }
  return { parts: taken, files };
}

async function store(folder: BackedUpFolder, set: SetWriter, passed: (bytes: number) => void) {
  const entries = new Map<string, ArchivedEntry>();
  const image = set.image(0);
  await image.take(digestedFiles(folder.read(), entries), passed);
  return { stored: await image.finish(), entries };
}
