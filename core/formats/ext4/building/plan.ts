import type { FileSystemPlan } from '../../file-system/building.ts';

/** What a new file system is to be. */
export interface Ext4Plan extends FileSystemPlan {
  readonly lastMounted: string;
}
