import { utf8 } from '../../bytes/text.ts';
import type { Attribute } from './reading.ts';

/** The new file system has no room for what was to be in it, or what was to be in it makes no sense. */
export class BuildError extends Error {
  override readonly name = 'BuildError';
}

/** Blocks one behind the other. */
export interface BlockRun {
  readonly block: number;
  readonly count: number;
}

/** What a new file system is to be. */
export interface FileSystemPlan {
  /** Of the device; what makes no whole unit of the file system stays unused. */
  readonly bytes: number;
  readonly volume: string;
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
  readonly attributes: readonly Attribute[];
  /** Where a symbolic link leads. */
  readonly target?: string;
  /** Of a file: exactly so many bytes come. */
  readonly bytes?: number;
  readonly content?: AsyncIterable<Uint8Array>;
  /** Instead of its content: blocks that were reserved, in which it lies already. */
  readonly lies?: readonly BlockRun[];
}

/** Where a file system is written to; what is not written stays as it is. */
export interface BuildSink {
  write(offset: number, bytes: Uint8Array): Promise<void>;
  /** Parts of tables with nothing in them are to read as zeros; left out, these are written. */
  zero?(offset: number, bytes: number): Promise<void>;
}

/** Makes a file system, one file after the other. */
export interface FileSystemBuilder {
  /** Bytes that are still free for contents. */
  readonly freeBytes: number;
  /** @throws BuildError when it does not fit, or has no directory to lie in */
  add(file: NewFile): Promise<void>;
  /**
   * Sets blocks aside in which a file lies already; to be called before anything is added.
   * @returns false where they are not free: nothing is set aside then
   */
  reserve(runs: readonly BlockRun[]): boolean;
  /** Gives a file that is there already another name. @throws BuildError when there is none */
  link(path: string, to: string): void;
  /** Writes directories, attributes and tables: only now is it a file system. */
  finish(): Promise<void>;
}

/** Zeros a range of a sink, as it prefers that. */
export const zeroIn = (sink: BuildSink, offset: number, bytes: number): Promise<void> =>
  sink.zero ? sink.zero(offset, bytes) : sink.write(offset, new Uint8Array(bytes));

/** Writes a file's bytes into its blocks, the last one filled up with zeros. @throws BuildError when they are not as many as it said */
export async function pour(
  file: NewFile,
  runs: readonly BlockRun[],
  blockBytes: number,
  sink: BuildSink,
): Promise<void> {
  let [index, within, done] = [0, 0, 0];
  const size = file.bytes ?? 0;
  const place = async (bytes: Uint8Array): Promise<void> => {
    for (let at = 0; at < bytes.length;) {
      const run = runs[index];
      if (!run) throw new BuildError(`${file.path} has more bytes than the ${size} it said`);
      const part = bytes.subarray(at, at + run.count * blockBytes - within);
      await sink.write(run.block * blockBytes + within, part);
      at += part.length;
      within += part.length;
      if (within === run.count * blockBytes) [index, within] = [index + 1, 0];
    }
  };
  for await (const part of file.content ?? []) {
    done += part.length;
    if (done > size) throw new BuildError(`${file.path} has more bytes than the ${size} it said`);
    await place(part);
  }
  if (done < size) throw new BuildError(`${file.path} ended after ${done} of ${size} bytes`);
  if (size % blockBytes !== 0) await place(new Uint8Array(blockBytes - (size % blockBytes)));
}

export interface NewEntry {
  readonly name: string;
  readonly number: number;
  readonly type: NewFile['type'];
}

export interface NewDirectory {
  readonly number: number;
  readonly parent: number;
  readonly entries: NewEntry[];
}

/** Which names a new file system has, and of which inodes. */
export class NewTree {
  readonly directories = new Map<string, NewDirectory>();
  private readonly numbers = new Map<string, number>();

  constructor(rootNumber: number) {
    this.directories.set('/', { number: rootNumber, parent: rootNumber, entries: [] });
  }

  numberOf(path: string): number | undefined {
    return this.numbers.get(path);
  }

  /** @throws BuildError for a name that cannot be, or is there, or lies nowhere */
  enter(path: string, number: number, type: NewFile['type']): void {
    const directory = this.directories.get(parentOf(path));
    const name = path.slice(path.lastIndexOf('/') + 1);
    if (!directory) throw new BuildError(`${path} lies in no directory`);
    if (name === '' || name === '.' || name === '..' || utf8(name).length > 255)
      throw new BuildError(`${path} is not a name`);
    if (this.numbers.has(path)) throw new BuildError(`${path} is there twice`);
    this.numbers.set(path, number);
    directory.entries.push({ name, number, type });
    if (type === 'directory') this.directories.set(path, { number, parent: directory.number, entries: [] });
  }
}

export const parentOf = (path: string): string => path.slice(0, path.lastIndexOf('/')) || '/';
