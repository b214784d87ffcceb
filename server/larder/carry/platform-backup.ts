import type { CopyView } from '@keen-larder/contract/copies.ts';
import { folderKinds, partKinds, type PartKind } from '@keen-larder/core/apps/copies.ts';
import { EntryPlacer } from '@keen-larder/core/apps/entries.ts';
import { appIdOf, sharedStorageOwners } from '@keen-larder/core/apps/ids.ts';
import { kindsInBackup } from '@keen-larder/core/formats/android-backup/eligibility.ts';
import { readSigners } from '@keen-larder/core/formats/apk/apk.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { Problem } from '../../failures.ts';
import { backupStream } from '../../formats/android-backup/backup-stream.ts';
import { backupTarOf, type AppForBackup } from '../../formats/android-backup/backup-writing.ts';
import { rewrittenTar } from '../../formats/tar-rewrite.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { imageSource } from '../inside/image-source.ts';
import type { Larder } from '../larder.ts';
import { carrySheet } from './carry-along.ts';

/** Copies that may go into one backup of the platform's own. */
export interface PlatformBackup {
  readonly apps: readonly AppForBackup[];
  /** Of the file. */
  readonly name: string;
}

/** What stands in the way of an archive for a recovery, and not of this: a system takes it by what it has installed. */
const notOfSystems: readonly string[] = ['wrong-model', 'needs-newer-android', 'archive-too-large'];

/**
 * Copies of apps as a system takes them back without root, by `adb restore`: it asks who signed each.
 * @throws Problem saying why they cannot go into one
 */
export async function platformBackup(larder: Larder, ids: readonly string[]): Promise<PlatformBackup> {
  const stops = carrySheet(larder, { apps: ids, records: [] }).checks.filter(
    ({ id, severity }) => severity === 'stop' && !notOfSystems.includes(id),
  );
  if (stops.length > 0) throw new Problem(422, stops.map(({ sentence }) => sentence).join(' '), stops);
  const copies = ids.map((id) => larder.copies.one(id));
  return {
    apps: await appsForBackup(
      larder,
      copies.map((copy) => ({ copy, parts: partKinds })),
    ),
    name: `${fileNameOf(copies.length === 1 ? copies[0]!.app.label : `${copies.length} apps`)}.ab`,
  };
}

/** A copy, and what of it goes. */
export interface PickedOfCopy {
  readonly copy: CopyView;
  readonly parts: readonly PartKind[];
}

/** @throws Problem where nobody can tell who signed an app */
export async function appsForBackup(
  larder: Pick<Larder, 'copies' | 'shelf'>,
  picked: readonly PickedOfCopy[],
): Promise<AppForBackup[]> {
  const copies = picked.map(({ copy }) => copy);
  const signers = await Promise.all(copies.map((copy) => signersOf(larder, copy)));
  const unknown = copies.filter((_, i) => signers[i]!.length === 0).map(({ app }) => app.label);
  if (unknown.length > 0)
    throw new Problem(
      422,
      `A system takes data back only of whom it knows to have signed the app, and no program of ${listText(unknown)} is in the larder to tell. Copy it with its program.`,
    );
  return picked.map((each, i) => appOf(larder, each, signers[i]!));
}

/** Its bytes come as they are read from the shelf. */
export const platformBackupStream = ({ apps }: PlatformBackup): AsyncIterable<Uint8Array> =>
  backupStream(backupTarOf(apps));

/** By its own program, or by another copy's of the same maker. */
async function signersOf(
  larder: Pick<Larder, 'copies' | 'shelf'>,
  { id, app }: CopyView,
): Promise<readonly Uint8Array[]> {
  const all = larder.copies.list().filter((each) => each.app.package === app.package);
  for (const copy of [...all.filter((each) => each.id === id), ...all.filter((each) => each.id !== id)]) {
    if (!copy.parts.some(({ name }) => name === 'base.apk')) continue;
    const isOfSame = copy.app.certificates.some((each) => app.certificates.includes(each));
    if (copy.id !== id && !isOfSame) continue;
    return readSigners(imageSource(larder.shelf, larder.copies.part(copy.id, 'base.apk')));
  }
  return [];
}

function appOf(
  { copies, shelf }: Pick<Larder, 'copies' | 'shelf'>,
  { copy, parts: wanted }: PickedOfCopy,
  signers: readonly Uint8Array[],
): AppForBackup {
  const { app } = copy;
  const parts = copy.parts.filter(({ kind }) => wanted.includes(kind));
  const programs = parts.filter(({ kind }) => kind === 'program');
  // Of one in several APKs a system takes none.
  const [program] = programs.length === 1 ? programs : [];
  const read = (name: string) => readImage(shelf, copies.part(copy.id, name));
  const place = { user: 0, appId: appIdOf(app.uid) };
  return {
    app: {
      package: app.package,
      versionCode: app.versionCode,
      sdk: app.sdk ?? 0,
      installer: app.installer,
      hasProgram: program !== undefined,
      signatures: signers.map((each) => Buffer.from(each).toString('hex')),
    },
    program: program && { bytes: program.bytes, read: () => read(program.name) },
    folders: folderKinds
      .filter((kind) => kindsInBackup.includes(kind))
      .flatMap((kind) => {
        const kept = parts.find((each) => each.kind === kind);
        if (!kept) return [];
        const isShared = kind !== 'data' && kind !== 'device-data';
        const judged = () => {
          const placer = new EntryPlacer(place, place, undefined, isShared ? sharedStorageOwners : []);
          return rewrittenTar(read(kept.name), (entry) => placer.place(entry));
        };
        return [{ kind, read: judged }];
      }),
  };
}
