import { readdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { ChunkStatements, PackRow } from '../../database/chunks.ts';
import { makeFolder, syncFolder } from '../../disk/durable.ts';

const folderName = 'freed';

/** Packs that nothing refers to any more. They lie aside for some days, in case that was an error. */
export class FreedPacks {
  private readonly path: string;

  constructor(
    shelf: string,
    private readonly packFolder: string,
    private readonly catalogue: { readonly chunks: ChunkStatements; readonly nowMs: () => number },
  ) {
    this.path = join(shelf, folderName);
  }

  get bytes(): number {
    return this.catalogue.chunks.freed().reduce((sum, { bytes }) => sum + bytes, 0);
  }

  /** The pack is gone from the catalogue already. */
  async putAside({ name, bytes }: Pick<PackRow, 'name' | 'bytes'>): Promise<void> {
    await makeFolder(this.path);
    try {
      await rename(join(this.packFolder, name), join(this.path, name));
    } catch (error) {
      // A pack that was lost has nothing to put aside.
      if ((error as NodeJS.ErrnoException).code === 'ENOENT') return;
      throw error;
    }
    await syncFolder(this.path);
    this.catalogue.chunks.addFreed({ name, bytes, sinceMs: this.catalogue.nowMs() });
  }

  /** Removes those that have lain aside since before that, in the larder's own time; resolves to their bytes. */
  async removeOlder(thanMs: number): Promise<number> {
    let removed = 0;
    for (const { name, bytes, sinceMs } of this.catalogue.chunks.freed()) {
      if (sinceMs > thanMs) continue;
      await rm(join(this.path, name), { force: true });
      this.catalogue.chunks.dropFreed(name);
      removed += bytes;
    }
    return removed;
  }

  /** Puts all back among the others, those that the catalogue does not know as well; resolves to their names. */
  async bringBack(): Promise<string[]> {
    const names = (await readdir(this.path).catch(() => [] as string[])).filter((name) =>
      name.endsWith('.pack'),
    );
    for (const name of names) {
      await rename(join(this.path, name), join(this.packFolder, name));
      this.catalogue.chunks.dropFreed(name);
    }
    if (names.length > 0) for (const path of [this.path, this.packFolder]) await syncFolder(path);
    return names;
  }
}
