import { readdir, readFile, rm, stat } from 'node:fs/promises';
import { createHash } from 'node:crypto';
import { basename, join } from 'node:path';
import { makeFolder, partialSuffix, removeDurably, writeDurably } from '../disk/durable.ts';
import { isSealed } from '../sealing/sealed-object.ts';
import type { ShelfSeal } from './shelf-seal.ts';

/** The line of a manifest that has its checksum: SHA-256 of its text with zeros in the checksum's place. */
const checksumLine = /^ "checksum": "([0-9a-f]{64})",?$/m;
const noChecksum = '0'.repeat(64);

function checksumOf(text: string): string {
  const blank = text.replace(checksumLine, (line, digest: string) => line.replace(digest, noChecksum));
  return createHash('sha256').update(blank).digest('hex');
}

/** The text of a manifest's file. */
function withChecksum(manifest: object): string {
  const text = `${JSON.stringify({ checksum: noChecksum, ...manifest }, null, 1)}\n`;
  return text.replace(noChecksum, checksumOf(text));
}

/**
 * A manifest's text without its checksum; one that an earlier program wrote has none.
 * @throws Error when it is not the text that was written
 */
function checkedText(text: string): string {
  const [line, digest] = checksumLine.exec(text) ?? [];
  if (line === undefined) return text;
  if (digest !== checksumOf(text)) throw new Error('it was damaged: it is not as its checksum says');
  return text.replace(`${line}\n`, '');
}

/** Manifests of one kind on a shelf, a file each. */
export class ManifestFolder<T extends { readonly id: string }> {
  constructor(
    readonly path: string,
    private readonly parse: (text: string) => T,
    private readonly seal: Pick<ShelfSeal, 'sealed' | 'plain'>,
  ) {}

  /** Makes the folder, and removes what a killed run left half written. */
  async prepare(): Promise<void> {
    await makeFolder(this.path);
    for (const name of await readdir(this.path)) {
      if (name.endsWith(partialSuffix)) await rm(join(this.path, name), { force: true });
    }
  }

  async write(manifest: T): Promise<void> {
    const text = Buffer.from(withChecksum(manifest));
    await writeDurably(this.pathOf(manifest.id), this.seal.sealed(this.nameOf(manifest.id), text));
  }

  /** Another one as soon as the manifest was written anew. @throws Error when there is none */
  async stamp(id: string): Promise<string> {
    const { ino, mtimeMs, size } = await stat(this.pathOf(id));
    return `${ino} ${mtimeMs} ${size}`;
  }

  async remove(id: string): Promise<void> {
    await removeDurably(this.pathOf(id));
  }

  /** @throws Error when there is none, or it cannot be used */
  async read(id: string): Promise<T> {
    const plain = await this.seal.plain(this.nameOf(id), await readFile(this.pathOf(id)));
    return this.parse(checkedText(plain.toString()));
  }

  async ids(): Promise<string[]> {
    const names = await readdir(this.path).catch((error: NodeJS.ErrnoException) => {
      if (error.code === 'ENOENT') return [];
      throw error;
    });
    return names.filter((name) => name.endsWith('.json')).map((name) => name.slice(0, -5));
  }

  /** Whether a manifest lies there sealed. */
  async isSealed(id: string): Promise<boolean> {
    return isSealed(await readFile(this.pathOf(id)));
  }

  /** Under which it is sealed. */
  private nameOf(id: string): string {
    return `${basename(this.path)}/${id}`;
  }

  private pathOf(id: string): string {
    return join(this.path, `${id}.json`);
  }
}
