import { isAppId, appIdOf } from '@keen-larder/core/apps/ids.ts';
import { folderKinds, partNameOf, type FolderKind } from '@keen-larder/core/apps/copies.ts';
import { UnsafeEntry } from '@keen-larder/core/apps/entries.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { readUtf8 } from '@keen-larder/core/bytes/text.ts';
import {
  mostManifestBytes,
  readAppManifest,
  type BackedUpApp,
} from '@keen-larder/core/formats/android-backup/app-manifest.ts';
import {
  placeInBackup,
  type AppFilePlace,
  type BackupPlace,
} from '@keen-larder/core/formats/android-backup/layout.ts';
import { sourceBytes } from '../file-source.ts';
import { tarEnd, tarHeader, tarPadding, type TarHead } from '../tar-header.ts';
import { entrySource, placedEntries, type PlacedEntry } from '../tar-source.ts';

/** An app's folder in a backup, as an archive of it alone. */
export interface BackedUpFolder {
  readonly kind: FolderKind;
  /** In a copy: `data.tar`. */
  readonly name: string;
  /** Of the archive. */
  readonly bytes: number;
  /** Who owns what is in it, where an app does. */
  readonly uid: number | undefined;
  read(): AsyncIterable<Uint8Array>;
}

export interface AppInBackup {
  readonly app: BackedUpApp;
  readonly programs: readonly { readonly name: string; readonly source: ByteSource }[];
  readonly folders: readonly BackedUpFolder[];
}

/** What a backup holds, and what of it belongs to no copy of an app. */
export interface BackupContent {
  readonly apps: readonly AppInBackup[];
  /** Apps that gave records of their own instead of files: Android alone can give those back. */
  readonly byRecords: readonly string[];
  /** Apps whose widgets on the home screen are told. */
  readonly withWidgets: readonly string[];
  /** Files of shared storage. */
  readonly shared: { readonly files: number; readonly bytes: number };
  /** Names that stand in no backup. */
  readonly strangers: readonly string[];
}

const format = 'Android backup';
const mostEntries = 1_000_000;
const mostApps = 5000;
const mostStrangers = 20;
const folderMode = 0o771;
const permissionBits = 0o7777;

/**
 * What is in a backup's archive; its files are read when they are asked for.
 * @throws FormatError for one that is damaged, that has links, or files of an app that it says nothing of
 */
export async function readBackupContent(tar: ByteSource): Promise<BackupContent> {
  const apps = new Map<string, GrowingApp>();
  const byRecords = new Set<string>();
  const withWidgets = new Set<string>();
  const strangers: string[] = [];
  const shared = { files: 0, bytes: 0 };
  let entries = 0;
  for await (const entry of placedEntries(tar)) {
    const { name, type, size } = entry.header;
    if (++entries > mostEntries) throw new FormatError(format, 'entries', 0, `more than ${mostEntries}`);
    if (type !== 'file' && type !== 'directory')
      throw new FormatError(format, name, 0, `it is a ${type}, and a backup has files and folders`);
    const place = placeOf(name);
    if (!place) {
      if (type === 'file' && strangers.length < mostStrangers) strangers.push(name);
    } else if (place.kind === 'shared') {
      if (type !== 'file') continue;
      shared.files++;
      shared.bytes += size;
    } else if (place.kind === 'manifest') {
      if (apps.has(place.package)) throw new FormatError(format, name, 0, 'it stands there twice');
      if (apps.size >= mostApps) throw new FormatError(format, name, 0, `more than ${mostApps} apps`);
      apps.set(place.package, new GrowingApp(tar, await manifestOf(tar, entry, place.package)));
    } else if (place.kind === 'widgets') withWidgets.add(place.package);
    else if (place.kind === 'key-value') byRecords.add(place.package);
    else if ('path' in place) {
      const app = apps.get(place.package);
      if (!app) throw new FormatError(format, name, 0, 'what app it is of was not said before');
      app.take(place, entry);
    }
  }
  return {
    apps: [...apps.values()].filter((each) => !each.isEmpty),
    byRecords: [...byRecords],
    withWidgets: [...withWidgets],
    shared,
    strangers,
  };
}

function placeOf(name: string): BackupPlace | undefined {
  try {
    return placeInBackup(name);
  } catch (error) {
    if (!(error instanceof UnsafeEntry)) throw error;
    throw new FormatError(format, 'name', 0, error.message);
  }
}

async function manifestOf(tar: ByteSource, entry: PlacedEntry, name: string): Promise<BackedUpApp> {
  const { header } = entry;
  const source = entrySource(tar, entry);
  const app = readAppManifest(
    readUtf8(await source.read(0, Math.min(source.bytes, mostManifestBytes))),
    header.name,
  );
  if (app.package !== name) throw new FormatError(format, header.name, 0, `it speaks of ${app.package}`);
  return app;
}

class GrowingApp implements AppInBackup {
  readonly programs: { name: string; source: ByteSource }[] = [];
  private readonly archives = new Map<FolderKind, FolderArchive>();

  constructor(
    private readonly tar: ByteSource,
    readonly app: BackedUpApp,
  ) {}

  get folders(): readonly BackedUpFolder[] {
    return folderKinds.flatMap((kind) => this.archives.get(kind) ?? []);
  }

  get isEmpty(): boolean {
    return this.programs.length === 0 && this.archives.size === 0;
  }

  take(place: AppFilePlace, entry: PlacedEntry): void {
    if (place.kind === 'program') {
      if (entry.header.type === 'file')
        this.programs.push({ name: place.path, source: entrySource(this.tar, entry) });
      return;
    }
    let archive = this.archives.get(place.kind);
    if (!archive) this.archives.set(place.kind, (archive = new FolderArchive(this.tar, place.kind)));
    archive.take(place.path, entry);
  }
}

/** One folder of an app, named as a phone's own tar names what is in it. Folders that a backup passes over are made up. */
class FolderArchive implements BackedUpFolder {
  readonly name: string;
  bytes = tarEnd().length;
  uid: number | undefined;
  private readonly entries = new Map<string, { readonly head: TarHead; readonly entry?: PlacedEntry }>();

  constructor(
    private readonly tar: ByteSource,
    readonly kind: FolderKind,
  ) {
    this.name = partNameOf(kind);
  }

  take(path: string, entry: PlacedEntry): void {
    const { header } = entry;
    const { uid, gid } = header;
    if (isAppId(appIdOf(uid))) this.uid ??= uid;
    const modifiedAt = Math.floor(header.mtime.getTime() / 1000);
    const steps = path === '.' ? [] : path.split('/');
    for (let depth = 0; depth < steps.length; depth++) {
      const above = steps.slice(0, depth).join('/') || '.';
      if (!this.entries.has(above))
        this.set(above, { ...folderHead(above, uid, gid), modifiedAt, mode: folderMode });
    }
    const isFolder = header.type === 'directory';
    const known = this.entries.get(path);
    if (known && !(isFolder && known.head.type === 'directory'))
      throw new FormatError(format, header.name, 0, 'it stands there twice');
    const mode = header.mode & permissionBits;
    if (isFolder) this.set(path, { ...folderHead(path, uid, gid), modifiedAt, mode });
    else
      this.set(
        path,
        { name: `./${path}`, type: 'file', mode, uid, gid, modifiedAt, bytes: header.size },
        entry,
      );
  }

  private set(path: string, head: TarHead, entry?: PlacedEntry): void {
    const before = this.entries.get(path);
    if (before) this.bytes -= bytesOf(before.head);
    this.bytes += bytesOf(head);
    this.entries.set(path, { head, ...(entry && { entry }) });
  }

  async *read(): AsyncGenerator<Uint8Array> {
    for (const { head, entry } of this.entries.values()) {
      yield tarHeader(head);
      if (!entry || head.bytes === 0) continue;
      yield* sourceBytes(entrySource(this.tar, entry));
      yield tarPadding(head.bytes);
    }
    yield tarEnd();
  }
}

const folderHead = (path: string, uid: number, gid: number) => ({
  name: path === '.' ? './' : `./${path}/`,
  ...{ type: 'directory' as const, uid, gid, bytes: 0 },
});

const bytesOf = (head: TarHead) => tarHeader(head).length + head.bytes + tarPadding(head.bytes).length;
