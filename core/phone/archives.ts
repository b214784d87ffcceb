import type { Role } from './roles.ts';

/** Files that are kept as an archive rather than as a partition's bytes. */
export interface ArchivePlan {
  /** Name of the image, beside those of partitions. */
  readonly name: string;
  readonly role: Role;
  /** What it holds, in words. */
  readonly holds: string;
  readonly folder: string;
  /** By which a system without root shows it; left out where it shows none. */
  readonly folderWithoutRoot?: string;
  /** Paths within the folder that stay out. */
  readonly leaveOut: readonly string[];
  /** Put back, it takes the place of what is in the folder; otherwise it goes over that. */
  readonly replacesFolder: boolean;
}

/** User data in its second way: files, shared storage apart. */
export const archives: readonly ArchivePlan[] = [
  {
    name: 'userdata-files',
    role: 'user-data',
    holds: 'apps and settings without shared storage',
    folder: '/data',
    // Of shared storage only its place is kept; keys of the hardware are of no use elsewhere.
    leaveOut: ['media', 'lost+found'],
    replacesFolder: true,
  },
  {
    name: 'shared-storage',
    role: 'user-data',
    holds: 'photos, downloads and all else that apps share',
    folder: '/data/media/0',
    folderWithoutRoot: '/sdcard',
    leaveOut: [],
    replacesFolder: false,
  },
];

export const archiveOf = (name: string): ArchivePlan | undefined =>
  archives.find((each) => each.name === name);
