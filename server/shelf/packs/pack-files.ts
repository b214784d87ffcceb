import { open, type FileHandle } from 'node:fs/promises';

/** So many packs are open at once; a computer lets a program have some hundreds of files. */
const mostOpen = 32;

interface OpenPack {
  readonly file: Promise<FileHandle>;
  readers: number;
}

/** Keeps the packs open that were read last. */
export class PackFiles {
  /** By path, the one that was used longest ago first. */
  private readonly packs = new Map<string, OpenPack>();

  /**
   * Fills `stored` with the bytes at an offset of a pack.
   * @throws Error when the pack cannot be read or ends too early
   */
  async read(path: string, stored: Uint8Array, offset: number): Promise<void> {
    const pack = this.packs.get(path) ?? { file: open(path, 'r'), readers: 0 };
    this.packs.delete(path);
    this.packs.set(path, pack);
    pack.readers++;
    try {
      const file = await pack.file;
      for (let done = 0; done < stored.length;) {
        const { bytesRead } = await file.read(stored, done, stored.length - done, offset + done);
        if (bytesRead === 0) throw new Error('the pack ends there');
        done += bytesRead;
      }
    } catch (error) {
      // Of a disk that was away for a while, the open file stays unusable.
      if (this.packs.get(path) === pack) this.packs.delete(path);
      throw error;
    } finally {
      pack.readers--;
      this.letGo();
      if (pack.readers === 0 && this.packs.get(path) !== pack) closeSoon(pack);
    }
  }

  /** How many are open, for tests. */
  get size(): number {
    return this.packs.size;
  }

  /** Closes a pack as soon as nobody reads it. */
  forget(path: string): void {
    const pack = this.packs.get(path);
    this.packs.delete(path);
    if (pack && pack.readers === 0) closeSoon(pack);
  }

  forgetAll(): void {
    for (const path of [...this.packs.keys()]) this.forget(path);
  }

  private letGo(): void {
    for (const [path, { readers }] of this.packs) {
      if (this.packs.size <= mostOpen) return;
      if (readers === 0) this.forget(path);
    }
  }
}

const closeSoon = ({ file }: OpenPack): void => void file.then((open) => open.close()).catch(() => undefined);
