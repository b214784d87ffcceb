import { readdir, readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { makeFolder, partialSuffix, removeDurably, writeDurably } from '../disk/durable.ts';

/** Manifests of one kind on a shelf, a file each. */
export class ManifestFolder<T extends { readonly id: string }> {
  constructor(
    readonly path: string,
    private readonly parse: (text: string) => T,
  ) {}

  /** Makes the folder, and removes what a killed run left half written. */
  async prepare(): Promise<void> {
    await makeFolder(this.path);
    for (const name of await readdir(this.path)) {
      if (name.endsWith(partialSuffix)) await rm(join(this.path, name), { force: true });
    }
  }

  async write(manifest: T): Promise<void> {
    await writeDurably(this.pathOf(manifest.id), `${JSON.stringify(manifest, null, 1)}\n`);
  }

  async remove(id: string): Promise<void> {
    await removeDurably(this.pathOf(id));
  }

  /** @throws Error when there is none, or it cannot be used */
  async read(id: string): Promise<T> {
    return this.parse(await readFile(this.pathOf(id), 'utf8'));
  }

  async ids(): Promise<string[]> {
    const names = await readdir(this.path).catch((error: NodeJS.ErrnoException) => {
      if (error.code === 'ENOENT') return [];
      throw error;
    });
    return names.filter((name) => name.endsWith('.json')).map((name) => name.slice(0, -5));
  }

  private pathOf(id: string): string {
    return join(this.path, `${id}.json`);
  }
}
