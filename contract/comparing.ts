import type { BlockComparison } from '@keen-larder/core/larder/comparing/blocks.ts';
import type { FactDifference } from '@keen-larder/core/larder/comparing/facts.ts';
import type { EntryChange, TreeEntry } from '@keen-larder/core/larder/comparing/files.ts';
import type { PropertyDifference } from '@keen-larder/core/larder/comparing/lines.ts';
import type { PartitionState } from '@keen-larder/core/larder/comparing/partitions.ts';
import type { Role } from '@keen-larder/core/phone/roles.ts';
import type { SetView } from './sets.ts';

/** One side of a partition in a comparison. */
export interface ComparedImageView {
  readonly bytes: number;
  /** Empty of a phone. */
  readonly sha256: string;
  /** Only some of it was read. */
  readonly isPartial: boolean;
  readonly kind: 'block' | 'archive';
}

export interface ComparedPartition {
  readonly partition: string;
  readonly role: Role;
  readonly state: PartitionState;
  readonly before: ComparedImageView | undefined;
  readonly after: ComparedImageView | undefined;
  /** Where both are partitions' bytes and differ: how much does, and where, from first to last. */
  readonly differingBytes: number | undefined;
  readonly strip: readonly number[] | undefined;
}

/** What a set of a comparison is; of a phone its `id` is `phone:` and its serial, and it is of when the phone was first asked. */
export type ComparedSet = Pick<
  SetView,
  'id' | 'label' | 'serial' | 'nickname' | 'createdAt' | 'condition' | 'imported' | 'binnedAt'
>;

/** Two sets, by partition. */
export interface SetComparison {
  readonly before: ComparedSet;
  readonly after: ComparedSet;
  readonly partitions: readonly ComparedPartition[];
}

/** Two images of one partition. */
export interface PartitionDetail {
  /** Undefined of archives. */
  readonly blocks: BlockComparison | undefined;
  /** What they say of themselves. */
  readonly facts: readonly FactDifference[];
  /** Trees that both have; an empty name is the image itself. */
  readonly trees: readonly string[];
}

/** A file, folder or link on one side. */
export type ComparedFile = Omit<TreeEntry, 'path'>;

export type FileState = 'added' | 'gone' | 'changed' | 'elsewhere';

export interface FileDifference {
  readonly path: string;
  /** `elsewhere`: it has the content of a file that is gone. */
  readonly state: FileState;
  /** Where that content was. */
  readonly from: string | undefined;
  readonly changes: readonly EntryChange[];
  readonly before: ComparedFile | undefined;
  readonly after: ComparedFile | undefined;
}

/** Two trees, by file. */
export interface FileComparison {
  readonly differences: readonly FileDifference[];
  readonly counts: Readonly<Record<FileState, number>>;
  /** Of those that changed, how many were only written anew as they were. */
  readonly onlyTime: number;
  /** There are more than are listed. */
  readonly isCut: boolean;
}

/** A stretch of two texts in which something differs. */
export interface TextHunk {
  /** Number of the first line in each, from 1. */
  readonly beforeLine: number;
  readonly afterLine: number;
  /** Each begins with ` `, `-` or `+`. */
  readonly lines: readonly string[];
}

/** Two versions of one file. */
export interface TextComparison {
  /** Undefined where they are not text, or too long to be shown. */
  readonly hunks: readonly TextHunk[] | undefined;
  /** Where both are lists of properties. */
  readonly properties: readonly PropertyDifference[] | undefined;
  readonly beforeBytes: number;
  readonly afterBytes: number;
}
