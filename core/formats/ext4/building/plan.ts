import type { BlockRun } from './block-map.ts';
import type { NewAttribute } from './write-attributes.ts';

/** What a new file system is to be. */
export interface Ext4Plan {
  /** Of the device; what does not make whole blocks and groups stays unused. */
  readonly bytes: number;
  readonly volume: string;
  readonly lastMounted: string;
  /** 16 bytes. */
  readonly uuid: Uint8Array;
  /** Seconds since 1970. */
  readonly madeAt: number;
}

/** One file, directory or link that is to be in it. Directories come before what they hold. */
export interface NewFile {
  /** From the root: `/data/example.tidebook`. */
  readonly path: string;
  readonly type: 'file' | 'directory' | 'link';
  readonly permissions: number;
  readonly uid: number;
  readonly gid: number;
  /** Seconds since 1970. */
  readonly modifiedAt: number;
  readonly attributes: readonly NewAttribute[];
  /** Where a symbolic link leads. */
  readonly target?: string;
  /** Of a file: exactly so many bytes come. */
  readonly bytes?: number;
  readonly content?: AsyncIterable<Uint8Array>;
  /** Instead of its content: blocks that were reserved, in which it lies already. */
  readonly lies?: readonly BlockRun[];
}

/** Where it is written to; what is not written stays as it is. */
export interface Ext4Sink {
  write(offset: number, bytes: Uint8Array): Promise<void>;
  /** Parts of the inode tables in which there are no inodes are to read as zeros; left out, these are written. */
  zero?(offset: number, bytes: number): Promise<void>;
}
