import { PhoneRefusal, Problem } from '../../failures.ts';
import { crossedWords, isWholeSooner, type ByPiecesSoFar } from '@keen-larder/core/phone/cable-choice.ts';
import type { ArchivePlan } from '@keen-larder/core/phone/archives.ts';
import type { AppWork } from '../../links/app-access.ts';
import type {
  ArchivedFiles,
  FolderExchange,
  FileAccess,
  PartitionAccess,
  PhoneLink,
} from '../../links/phone-link.ts';
import type { Bench } from '../../bench/bench.ts';
import type { PaceRow, PaceStatements } from '../../database/cables.ts';
import type { Run } from '../engine/live-run.ts';

/** Partitions of a link that reads them. @throws Problem 409 when its mode does not */
export function accessOf({ partitions, mode }: PhoneLink): PartitionAccess {
  if (!partitions) throw new Problem(409, `In ${mode} mode this phone hands out no partitions.`);
  return partitions;
}

/** Tells how bytes of a partition crossed the cable, where some were packed. */
export function logCrossed(run: Pick<Run, 'log'>, partition: string, { cable }: PartitionAccess): void {
  const words = cable && crossedWords(partition, cable.takeCrossed());
  if (words) run.log(words);
}

/** Whether the rest of a partition is written sooner than compared; the log tells where it is. */
export function isWrittenSooner(
  run: Pick<Run, 'log'>,
  partition: string,
  { cable }: PartitionAccess,
): (soFar: ByPiecesSoFar) => boolean {
  const speed = cable?.writeSpeed;
  return (soFar) => {
    const isSooner = isWholeSooner(soFar, speed);
    if (isSooner)
      run.log(`${partition}: this cable is faster than what was kept can be compared. The rest is written.`);
    return isSooner;
  };
}

/** Remembers how long it took to keep a partition again, or to put it back, over the present cable. */
export function rememberPace(
  { bench, paces }: { readonly bench: Pick<Bench, 'linkIn'>; readonly paces: Pick<PaceStatements, 'save'> },
  serial: string,
  direction: PaceRow['direction'],
  { name, bytes }: { readonly name: string; readonly bytes: number },
  ms: number,
): void {
  const link = bench.linkIn(serial)?.description;
  if (link === undefined || bytes === 0 || ms === 0) return;
  try {
    paces.save({ serial, partition: name, link, direction, bytesPerSecond: (bytes / ms) * 1000 });
  } catch {
    // On a full disk it is measured again another time.
  }
}

/** Files of a link. @throws PhoneRefusal when its mode hands out none */
export function filesOf({ files, mode }: PhoneLink): FileAccess {
  if (!files) throw new PhoneRefusal(`In ${mode} mode this phone hands out no files.`);
  return files;
}

/** Files of an archive on a link, and the folder that they lie in there. @throws PhoneRefusal when its mode hands out none */
export function archivedOf(
  { files, shared, mode }: PhoneLink,
  { folder, folderWithoutRoot, name }: ArchivePlan,
): { readonly files: ArchivedFiles; readonly folder: string } {
  if (files) return { files, folder };
  if (!shared || folderWithoutRoot === undefined)
    throw new PhoneRefusal(`In ${mode} mode this phone does not hand out ${name}.`);
  return { files: shared, folder: folderWithoutRoot };
}

/** @throws Problem 409 when the phone's system does not run */
export function workOf({ appWork, mode }: PhoneLink): AppWork {
  if (!appWork) throw new Problem(409, `In ${mode} mode nothing can be done to apps. Restart into system.`);
  return appWork;
}

/** @throws PhoneRefusal without root */
export function foldersOf({ folders }: PhoneLink): FolderExchange {
  if (!folders) throw new PhoneRefusal('Without root the data of apps cannot be read or written.');
  return folders;
}
