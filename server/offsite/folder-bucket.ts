import { mkdir, opendir, readFile, rm, stat } from 'node:fs/promises';
import { dirname, join, sep } from 'node:path';
import { partialSuffix, syncFolder, withFile, writeDurably } from '../disk/durable.ts';
import { BucketFailure, isDiskFull } from '../failures.ts';
import { objectNames, type Bucket, type BucketObject } from './bucket.ts';

/**
 * A folder on another disk in the place of a bucket: each object is a file under its name. A disk that is not plugged in leaves an empty
 * folder behind where it was mounted, so that nothing is believed of a folder without its seal.
 */
export class FolderBucket implements Bucket {
  readonly place: string;

  /** @param isInUse it was sealed before: its seal must be there */
  constructor(
    private readonly folder: string,
    private isInUse: boolean,
  ) {
    this.place = `the folder ${folder}`;
  }

  async put(name: string, bytes: Uint8Array): Promise<void> {
    await this.ask(`take ${name}`, async () => {
      if (name !== objectNames.seal) await this.requireThere();
      const path = this.pathOf(name);
      await this.makeFolders(dirname(path));
      await writeDurably(path, bytes);
      if (name === objectNames.seal) this.isInUse = true;
    });
  }

  async get(name: string, range?: { readonly offset: number; readonly bytes: number }): Promise<Buffer> {
    return this.ask(`give ${name}`, async () => {
      await this.requireThere();
      const path = this.pathOf(name);
      if (!range) return readFile(path);
      const bytes = Buffer.alloc(range.bytes);
      const { bytesRead } = await withFile(path, 'r', (file) =>
        file.read(bytes, 0, range.bytes, range.offset),
      );
      if (bytesRead === range.bytes) return bytes;
      throw new BucketFailure(
        `${this.place} gave ${bytesRead} bytes of ${name} where ${range.bytes} were asked for.`,
      );
    });
  }

  async *list(prefix: string): AsyncGenerator<BucketObject> {
    const found = await this.ask('list what it has', async () => {
      await this.requireThere();
      const names: string[] = [];
      // From the folder on in which all of them lie.
      await this.namesIn(prefix.slice(0, prefix.lastIndexOf('/') + 1), names);
      return names.filter((name) => name.startsWith(prefix)).sort();
    });
    for (const name of found) {
      const bytes = await this.sizeOf(name);
      // Somebody else may have removed it meanwhile.
      if (bytes !== undefined) yield { name, bytes };
    }
  }

  async remove(name: string): Promise<void> {
    await this.ask(`remove ${name}`, async () => {
      await this.requireThere();
      const path = this.pathOf(name);
      await rm(path, { force: true });
      await syncFolder(dirname(path)).catch((error: unknown) => ignoreMissing(error));
    });
  }

  /** Whether its disk is plugged in. */
  async isThere(): Promise<boolean> {
    return this.requireThere().then(
      () => true,
      () => false,
    );
  }

  /** @throws BucketFailure */
  private async requireThere(): Promise<void> {
    if (!this.isInUse || (await exists(this.pathOf(objectNames.seal)))) return;
    throw new BucketFailure(
      `${this.place} is not there, or has no seal of Keen Larder in it. Plug its disk in: what is there is not lost.`,
    );
  }

  private pathOf(name: string): string {
    return join(this.folder, ...name.split('/'));
  }

  private async makeFolders(path: string): Promise<void> {
    const first = await mkdir(path, { recursive: true });
    for (let made = path; first !== undefined && made.length >= first.length; made = dirname(made))
      await syncFolder(dirname(made));
  }

  private async namesIn(prefix: string, names: string[]): Promise<void> {
    try {
      for await (const entry of await opendir(join(this.folder, ...prefix.split('/')))) {
        if (entry.isDirectory()) await this.namesIn(`${prefix}${entry.name}/`, names);
        else if (entry.isFile() && !entry.name.endsWith(partialSuffix)) names.push(prefix + entry.name);
      }
    } catch (error) {
      ignoreMissing(error);
    }
  }

  private async sizeOf(name: string): Promise<number | undefined> {
    try {
      return (await stat(this.pathOf(name))).size;
    } catch (error) {
      ignoreMissing(error);
      return undefined;
    }
  }

  /** @throws BucketFailure */
  private async ask<T>(what: string, work: () => Promise<T>): Promise<T> {
    try {
      return await work();
    } catch (error) {
      if (error instanceof BucketFailure) throw error;
      throw new BucketFailure(`${this.place} did not ${what}: ${wordsOf(error as NodeJS.ErrnoException)}`, {
        cause: error,
      });
    }
  }
}

const exists = (path: string) =>
  stat(path).then(
    () => true,
    () => false,
  );

function ignoreMissing(error: unknown): void {
  if (!['ENOENT', 'ENOTDIR'].includes((error as NodeJS.ErrnoException).code ?? '')) throw error;
}

const words: Readonly<Record<string, string>> = {
  ENOENT: 'there is no such file.',
  EACCES: 'the program may not write there.',
  EROFS: 'its disk can only be read.',
  EIO: 'its disk does not answer as it should. Look at the disk and its cable.',
};

const wordsOf = (error: NodeJS.ErrnoException): string =>
  isDiskFull(error) ? 'its disk is full.' : (words[error.code ?? ''] ?? error.message);

/** Under a place that is chosen, the copy has a folder of its own. */
export const copyFolderIn = (place: string): string =>
  place.endsWith(`${sep}${copyFolderName}`) ? place : join(place, copyFolderName);
const copyFolderName = 'keen-larder-copy';
