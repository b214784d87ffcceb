import { PhoneRefusal, Problem } from '../../failures.ts';
import type {
  FolderExchange,
  AppWork,
  FileAccess,
  PartitionAccess,
  PhoneLink,
} from '../../links/phone-link.ts';

/** Partitions of a link that reads them. @throws Problem 409 when its mode does not */
export function accessOf({ partitions, mode }: PhoneLink): PartitionAccess {
  if (!partitions) throw new Problem(409, `In ${mode} mode this phone hands out no partitions.`);
  return partitions;
}

/** Files of a link. @throws PhoneRefusal when its mode hands out none */
export function filesOf({ files, mode }: PhoneLink): FileAccess {
  if (!files) throw new PhoneRefusal(`In ${mode} mode this phone hands out no files.`);
  return files;
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
