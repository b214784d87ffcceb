import {
  closeSync,
  existsSync,
  fsyncSync,
  mkdirSync,
  openSync,
  readdirSync,
  renameSync,
  rmSync,
  statSync,
} from 'node:fs';
import { copyFile, readFile, rm, writeFile } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { newestVersion, requireSound, type Database } from '../database/open.ts';
import { makeFolder, partialSuffix, renameDurably, withFile, writeDurably } from '../disk/durable.ts';
import type { ShelfSeal } from '../shelf/shelf-seal.ts';

const folderName = 'catalogue';
const suffix = '.sqlite';
const sealedSuffix = `${suffix}.sealed`;
/** The newest ones stay. */
const mostKept = 7;
const day = 24 * 60 * 60 * 1000;

/** A copy of the catalogue on the shelf. */
interface Snapshot {
  readonly path: string;
  /** Milliseconds since 1970, by the clock of then. */
  readonly at: number;
}

/** Copies of the catalogue that lie on its shelf, made by SQLite's own means. */
export class Snapshots {
  private readonly folder: string;

  constructor(
    private readonly shelf: string,
    private readonly now: () => number,
  ) {
    this.folder = join(shelf, folderName);
  }

  /** The newest first. */
  list(): Snapshot[] {
    if (!existsSync(this.folder)) return [];
    return readdirSync(this.folder)
      .filter((name) => name.endsWith(suffix) || name.endsWith(sealedSuffix))
      .sort()
      .reverse()
      .map((name) => ({ path: join(this.folder, name), at: timeOf(name) }));
  }

  /** Takes one where what is kept has changed since the newest, a day ago or longer. */
  async takeIfDue(db: Database, seal: SnapshotSeal): Promise<void> {
    const [newest] = this.list();
    if (newest && Math.abs(this.now() - newest.at) < day) return;
    if (newest && generationOf(newest.path) === generationIn(db)) return;
    await this.take(db, seal);
  }

  /** @throws Error when the disk does not take it */
  async take(db: Database, seal: SnapshotSeal): Promise<void> {
    await makeFolder(this.folder);
    const path = join(this.folder, nameAt(this.now()));
    // Nothing of it lies open on the disk of a sealed shelf, nor did for a moment.
    const isSealed = seal.state !== 'none';
    const partial = `${isSealed ? join(dirname(db.name), basename(path)) : path}${partialSuffix}`;
    try {
      await rm(partial, { force: true });
      await db.backup(partial);
      settle(partial);
      if (isSealed) {
        const name = `${folderName}/${basename(path)}`;
        await writeDurably(path.replace(suffix, sealedSuffix), seal.sealed(name, await readFile(partial)));
      } else {
        await withFile(partial, 'r+', (file) => file.sync());
        await renameDurably(partial, path);
      }
    } finally {
      await rm(partial, { force: true });
    }
    for (const { path: old } of this.list().slice(mostKept)) await rm(old, { force: true });
  }

  /** Removes all, and takes one of how the catalogue is now. */
  async renew(db: Database, seal: SnapshotSeal): Promise<void> {
    for (const { path } of this.list()) await rm(path, { force: true });
    await this.take(db, seal);
  }

  /** As `take`, before the catalogue is changed by a program that knows more. */
  takeBeforeMigrating(db: Database): void {
    if (!existsSync(join(this.shelf, 'shelf.json'))) return;
    // A sealed shelf cannot be unlocked before the catalogue is open: the copy lies beside that then.
    const folder = existsSync(join(this.shelf, 'seal.json'))
      ? join(dirname(db.name), folderName)
      : this.folder;
    mkdirSync(folder, { recursive: true });
    const path = join(folder, nameAt(this.now()));
    const partial = `${path}${partialSuffix}`;
    rmSync(partial, { force: true });
    db.prepare('VACUUM INTO ?').run(partial);
    syncNow(partial);
    renameSync(partial, path);
    syncNow(folder);
  }

  /**
   * Puts the newest whole one in the place of a catalogue that was lost.
   * @param seal of a sealed shelf: without it, those that are sealed are passed over
   * @returns when it was taken; undefined where there is none
   */
  async restoreTo(catalogue: string, seal?: SnapshotSeal): Promise<number | undefined> {
    const opened = seal && (await this.openNewest(catalogue, seal));
    const whole = [...this.list(), ...(opened ? [opened] : [])].filter(({ path }) => isWhole(path));
    // By a clock that was wrong, the newest name may not be the newest one.
    const ranked = whole.map((each) => ({ ...each, generation: Number(generationOf(each.path) ?? -1) }));
    const [best] = ranked.sort((a, b) => b.generation - a.generation || b.at - a.at);
    if (!best) return undefined;
    const partial = `${catalogue}${partialSuffix}`;
    await copyFile(best.path, partial);
    await withFile(partial, 'r+', (file) => file.sync());
    // The log of another catalogue must not be played into this one.
    for (const log of ['-wal', '-shm']) await rm(`${catalogue}${log}`, { force: true });
    await renameDurably(partial, catalogue);
    if (opened) await rm(opened.path, { force: true });
    return best.at;
  }

  /** The newest one that is sealed, as it was before, beside the catalogue. */
  private async openNewest(catalogue: string, seal: SnapshotSeal): Promise<Snapshot | undefined> {
    const newest = this.list().find(({ path }) => path.endsWith(sealedSuffix));
    if (!newest) return undefined;
    const name = basename(newest.path).replace(sealedSuffix, suffix);
    const path = `${catalogue}.opened${partialSuffix}`;
    await writeFile(path, await seal.plain(`${folderName}/${name}`, await readFile(newest.path)));
    return { ...newest, path };
  }
}

/** Of the shelf on which they lie. */
type SnapshotSeal = Pick<ShelfSeal, 'state' | 'sealed' | 'plain'>;

/** Whether a catalogue is there with anything in it: after a power cut a file may be empty. */
export const isThere = (catalogue: string): boolean => existsSync(catalogue) && statSync(catalogue).size > 0;

/** Whether a file is a catalogue that this program can read. */
export function isWhole(path: string): boolean {
  let db: Database | undefined;
  try {
    db = new Sqlite(path, { readonly: true });
    requireSound(db);
    return (db.pragma('user_version', { simple: true }) as number) <= newestVersion();
  } catch {
    return false;
  } finally {
    db?.close();
  }
}

/** One file without a log beside it, on the disk for good, under its final name. */
function syncNow(path: string): void {
  const file = openSync(path, 'r');
  try {
    fsyncSync(file);
  } finally {
    closeSync(file);
  }
}

function settle(partial: string): void {
  const db = new Sqlite(partial);
  try {
    db.pragma('journal_mode = DELETE');
  } finally {
    db.close();
  }
}

const generationIn = (db: Database): unknown => db.prepare('SELECT generation FROM shelf').pluck().get();

function generationOf(path: string): unknown {
  let db: Database | undefined;
  try {
    db = new Sqlite(path, { readonly: true });
    return generationIn(db);
  } catch {
    return undefined;
  } finally {
    db?.close();
  }
}

/** `2026-11-28T15-30-00-000Z.sqlite`, which sorts by time. */
const nameAt = (ms: number): string => `${new Date(ms).toISOString().replace(/[:.]/g, '-')}${suffix}`;

function timeOf(name: string): number {
  const [, day, hour, minute, second, ms] = /^(\S+)T(\d+)-(\d+)-(\d+)-(\d+)Z/.exec(name) ?? [];
  return Date.parse(`${day}T${hour}:${minute}:${second}.${ms}Z`) || 0;
}
