import { randomUUID } from 'node:crypto';
import { mkdir, open, readdir, readFile, rm, statfs, type FileHandle } from 'node:fs/promises';
import { join } from 'node:path';
import type { CopiedApp, PartKind } from '@keen-larder/core/apps/copies.ts';
import type { CopiedRecords, RecordsPartKind } from '@keen-larder/core/records/kinds.ts';
import type { ChunkRow, ChunkStatements } from '../database/chunks.ts';
import { collectPacks } from './collect.ts';
import { writeDurably } from './files.ts';
import { listRecords } from './packs/pack-reader.ts';
import type { Record } from './packs/pack-format.ts';
import { parseAppCopy, parseRecordsCopy, type CopyManifest } from './copy-manifest.ts';
import { ManifestFolder } from './manifest-folder.ts';
import { parseManifest, type Manifest } from './manifest.ts';
import type { ShelfWorkers } from './threads/workers.ts';

const shelfFormat = 'keen-larder-shelf';
/** 1 named chunks by BLAKE2b and was never released. */
const shelfVersion = 2;

/** What was found and done when a shelf was opened. */
export interface ShelfFinding {
  readonly level: 'info' | 'warning';
  readonly text: string;
}

/** A folder in which the larder keeps bytes: packs of chunks, and a manifest for every set. */
export class Shelf {
  readonly packFolder: string;
  readonly manifests: ManifestFolder<Manifest>;
  readonly copies: ManifestFolder<CopyManifest<CopiedApp, PartKind>>;
  readonly records: ManifestFolder<CopyManifest<CopiedRecords, RecordsPartKind>>;
  private readonly files = new Map<number, Promise<FileHandle>>();
  private packNames: Map<number, string>;

  private constructor(
    readonly path: string,
    readonly name: string,
    private readonly chunks: ChunkStatements,
    readonly workers: ShelfWorkers,
  ) {
    this.packFolder = join(path, 'packs');
    this.manifests = new ManifestFolder(join(path, 'manifests'), parseManifest);
    this.copies = new ManifestFolder(join(path, 'copies'), parseAppCopy);
    this.records = new ManifestFolder(join(path, 'records'), parseRecordsCopy);
    this.packNames = new Map(chunks.packs().map(({ id, name: pack }) => [id, pack]));
  }

  /** Opens a shelf, making it where there is none, and clears away what a killed run left behind. */
  static async open(
    path: string,
    name: string,
    chunks: ChunkStatements,
    workers: ShelfWorkers,
  ): Promise<{ shelf: Shelf; findings: ShelfFinding[] }> {
    await mkdir(join(path, 'packs'), { recursive: true });
    const described = join(path, 'shelf.json');
    const text = await readFile(described, 'utf8').catch(() => undefined);
    if (text === undefined) {
      const description = { format: shelfFormat, version: shelfVersion, id: randomUUID() };
      await writeDurably(described, `${JSON.stringify(description, null, 2)}\n`);
    } else {
      requireOurs(described, text);
    }
    const shelf = new Shelf(path, name, chunks, workers);
    for (const folder of [shelf.manifests, shelf.copies, shelf.records]) await folder.prepare();
    return { shelf, findings: await shelf.clear() };
  }

  /** A shelf that another program may be using: nothing is cleared away, nothing may be written. */
  static attach(path: string, name: string, chunks: ChunkStatements, workers: ShelfWorkers): Shelf {
    return new Shelf(path, name, chunks, workers);
  }

  /** Whether a chunk is stored; `digest` has 32 bytes. */
  has(digest: Uint8Array): boolean {
    return this.chunks.find(digest) !== undefined;
  }

  find(digest: Uint8Array): ChunkRow | undefined {
    return this.chunks.find(digest);
  }

  /** Enters a sealed pack in the catalogue. */
  register(name: string, bytes: number, records: readonly Record[]): void {
    this.chunks.addPack(name, bytes, records);
    this.refreshPacks();
  }

  /**
   * Fills `stored` with a chunk's bytes as they lie in its pack. Collecting may move the chunk into
   * another pack meanwhile; it is then read there.
   * @throws Error when the pack cannot be read or ends too early
   */
  async readStored(digest: Uint8Array, stored: Buffer): Promise<void> {
    const row = this.find(digest);
    if (!row) throw new Error('it is not in the catalogue');
    try {
      await this.readAt(row, stored);
    } catch (error) {
      const now = this.find(digest);
      if (!now || now.packId === row.packId) throw error;
      await this.readAt(now, stored);
    }
  }

  private async readAt(row: ChunkRow, stored: Buffer): Promise<void> {
    const file = await this.packFile(row.packId);
    const { bytesRead } = await file.read(stored, 0, row.storedBytes, row.offset);
    if (bytesRead !== row.storedBytes) throw new Error('the pack ends there');
  }

  /** Pack and offset of a chunk, for messages. */
  placeOf(digest: Uint8Array): string {
    const row = this.find(digest);
    return row ? `${this.packName(row.packId)} at ${row.offset}` : 'no pack';
  }

  packName(packId: number): string {
    if (!this.packNames.has(packId)) this.refreshPacks();
    return this.packNames.get(packId) ?? `pack ${packId}`;
  }

  async space(): Promise<{ freeBytes: number; totalBytes: number }> {
    const { bavail, blocks, bsize } = await statfs(this.path);
    return { freeBytes: bavail * bsize, totalBytes: blocks * bsize };
  }

  /**
   * Frees the chunks that `isKept` does not keep: packs without any are removed, packs that are
   * mostly dead are written anew. Killed at any point it leaves every kept chunk readable.
   */
  async collect(isKept: (digest: Buffer) => boolean): Promise<{ freedBytes: number }> {
    const before = this.chunks.storedBytes();
    for await (const packId of collectPacks(this.packFolder, this.chunks, isKept, (digest, stored) =>
      this.readStored(digest, stored),
    )) {
      const file = await this.files.get(packId)?.catch(() => undefined);
      this.files.delete(packId);
      await file?.close();
    }
    this.refreshPacks();
    return { freedBytes: before - this.chunks.storedBytes() };
  }

  /** Closes its files; the workers are its opener's. */
  async close(): Promise<void> {
    const open = [...this.files.values()];
    this.files.clear();
    for (const file of open) await (await file.catch(() => undefined))?.close();
  }

  /** Removes unsealed packs; enters sealed ones that the catalogue does not know. */
  private async clear(): Promise<ShelfFinding[]> {
    const findings: ShelfFinding[] = [];
    const known = new Set(this.packNames.values());
    for (const name of await readdir(this.packFolder)) {
      const path = join(this.packFolder, name);
      if (name.endsWith('.part')) {
        await rm(path);
        findings.push({ level: 'info', text: `Removed ${name}, which a broken-off run left unsealed.` });
      } else if (name.endsWith('.pack') && !known.has(name)) {
        try {
          const records = await listRecords(path);
          const file = await open(path, 'r');
          const { size } = await file.stat();
          await file.close();
          this.register(name, size, records);
          findings.push({
            level: 'info',
            text: `Entered ${name} with ${records.length} chunks in the catalogue.`,
          });
        } catch (error) {
          findings.push({ level: 'warning', text: `${name} cannot be used: ${(error as Error).message}.` });
        }
      }
    }
    return findings;
  }

  private refreshPacks(): void {
    this.packNames = new Map(this.chunks.packs().map(({ id, name }) => [id, name]));
  }

  private packFile(packId: number): Promise<FileHandle> {
    let file = this.files.get(packId);
    if (!file) {
      file = open(join(this.packFolder, this.packName(packId)), 'r');
      file.catch(() => this.files.delete(packId));
      this.files.set(packId, file);
    }
    return file;
  }
}

/** @throws Error when a folder's description is of something else, or of a version this program does not read */
function requireOurs(path: string, text: string): void {
  let description: { format?: unknown; version?: unknown };
  try {
    description = JSON.parse(text) as typeof description;
  } catch {
    throw new Error(`${path} is damaged. Put it back from a copy of the shelf; every shelf has one.`);
  }
  if (description.format !== shelfFormat) {
    throw new Error(`${path} does not describe a shelf. Name another folder.`);
  }
  if (description.version !== shelfVersion) {
    throw new Error(
      `${path} describes a shelf of version ${String(description.version)}; this program reads version ${shelfVersion}. Open it with the Keen Larder that wrote it, or name another folder.`,
    );
  }
}
