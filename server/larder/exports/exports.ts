import { randomUUID } from 'node:crypto';
import { mkdir, rm, rmdir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { ExportsView, ExportView } from '@keen-larder/contract/larder/exports.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import type { ExportFileRow, ExportRow, ExportStatements } from '../../database/exports/exports.ts';
import { Problem } from '../../failures.ts';
import { drivesIn, exportPlaces } from './export-places.ts';

interface ExportsParts {
  /** Where exports go that have no other place. */
  readonly folder: string;
  /** That the configuration allows besides. */
  readonly folders: readonly string[];
  readonly rows: ExportStatements;
  readonly now: () => number;
  /** The kernel's list of mounts; tests give one of their own. */
  readonly mounts?: string;
}

/** Exports that were written into folders: where they may go, where they are, and removing them. */
export class Exports {
  constructor(private readonly parts: ExportsParts) {}

  async view(): Promise<ExportsView> {
    const rows = this.parts.rows.all();
    return { places: await this.places(), exports: await Promise.all(rows.map(viewOf)) };
  }

  /** The folder of a place; of none, the usual one. @throws Problem 409 where it is not there, or is not allowed */
  async folderOf(place: string | undefined): Promise<string> {
    const { folder } = this.parts;
    if (place === undefined || place === folder) return folder;
    if ((await this.places()).some(({ path }) => path === place)) return place;
    throw new Problem(
      409,
      `Exports cannot go to ${place}: it is not there, cannot be written to, or is not among the places that are allowed. Choose another place.`,
    );
  }

  /** For what must not be lost with the larder. @throws Problem 409 where a place is not there, not allowed, or on the larder's own disk */
  async requireOtherDisk(place: string): Promise<void> {
    const folder = await this.folderOf(place);
    const [there, here] = await Promise.all([stat(folder), stat(this.parts.folder)]);
    if (there.dev === here.dev)
      throw new Problem(
        409,
        `${place} is on the disk that the larder itself is on: both would be lost with it. Choose a folder on another disk.`,
      );
  }

  /** Notes what was written. */
  add(set: SetDetail, path: string, files: readonly ExportFileRow[], isSealed: boolean): void {
    const { label, serial, nickname } = set;
    const madeAt = this.parts.now();
    this.parts.rows.add({ id: randomUUID(), path, label, serial, nickname, madeAt, isSealed, files });
  }

  /** @throws Problem 404 */
  one(id: string): ExportRow {
    const row = this.parts.rows.one(id);
    if (!row) throw new Problem(404, 'There is no such export.');
    return row;
  }

  ofPhone(serial: string): readonly ExportRow[] {
    return this.parts.rows.ofPhone(serial);
  }

  /** Removes the files that were written, and the folder where nothing else is in it; what somebody else put there stays. */
  async remove(id: string): Promise<void> {
    const { path, files } = this.one(id);
    for (const { name } of files) await rm(join(path, name), { force: true });
    await rmEmpty(path);
    this.parts.rows.remove(id);
  }

  private async places() {
    const { folder, folders, mounts } = this.parts;
    await mkdir(folder, { recursive: true }).catch(() => undefined);
    return exportPlaces(folder, folders, await drivesIn(mounts));
  }
}

async function viewOf({ files, ...row }: ExportRow): Promise<ExportView> {
  const { id, path, label, nickname, madeAt, isSealed } = row;
  const isThere = await stat(path).then(
    () => true,
    () => false,
  );
  const bytes = files.reduce((sum, file) => sum + file.bytes, 0);
  return { id, path, label, nickname, madeAt, isSealed, bytes, fileCount: files.length, isThere };
}

async function rmEmpty(path: string): Promise<void> {
  await rmdir(path).catch((error: NodeJS.ErrnoException) => {
    if (!['ENOENT', 'ENOTEMPTY', 'EEXIST'].includes(error.code ?? '')) throw error;
  });
}
