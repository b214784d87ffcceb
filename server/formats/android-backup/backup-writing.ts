import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { extract, pack, type NewHeader, type Pack } from 'tar-stream';
import { FolderJudge } from '@keen-larder/core/apps/entries.ts';
import type { FolderKind } from '@keen-larder/core/apps/copies.ts';
import { printAppManifest, type BackedUpApp } from '@keen-larder/core/formats/android-backup/app-manifest.ts';
import { manifestPath, nameInBackup, programPath } from '@keen-larder/core/formats/android-backup/layout.ts';
import { requirePlain } from '../tar.ts';

/** An app that goes into a backup. */
export interface AppForBackup {
  readonly app: BackedUpApp;
  /** Its one APK: Android puts no splits back. */
  readonly program?: { readonly bytes: number; read(): AsyncIterable<Uint8Array> } | undefined;
  /** Archives of its folders. */
  readonly folders: readonly { readonly kind: FolderKind; read(): AsyncIterable<Uint8Array> }[];
  /** Told of what a backup has no place for: links, caches, media. */
  leftOut?(path: string): void;
}

/** The archive of a backup, app by app: what each is, then its files. @throws UnsafeEntry for one that leaves its folder */
export async function* backupTarOf(apps: Iterable<AppForBackup>): AsyncGenerator<Uint8Array> {
  const archive = pack();
  const filled = (async () => {
    for (const app of apps) await addApp(archive, app);
    archive.finalize();
  })();
  filled.catch((error: unknown) => archive.destroy(error as Error));
  try {
    yield* archive;
    await filled;
  } finally {
    archive.destroy();
  }
}

async function addApp(archive: Pack, { app, program, folders, leftOut }: AppForBackup): Promise<void> {
  const put = (header: NewHeader, bytes: AsyncIterable<Uint8Array>) =>
    pipeline(Readable.from(bytes, { objectMode: false }), archive.entry(header));
  const text = Buffer.from(printAppManifest(app));
  archive.entry({ name: manifestPath(app.package), mode: 0o600 }, text);
  if (program)
    await put(
      { name: programPath(app.package, 'base.apk'), mode: 0o600, size: program.bytes },
      program.read(),
    );
  for (const each of folders) {
    const judge = new FolderJudge('the app’s folder');
    const reader = extract();
    const fed = pipeline(Readable.from(each.read(), { objectMode: false }), reader);
    fed.catch(() => undefined);
    for await (const entry of reader) {
      const { header } = entry;
      requirePlain(header);
      const { path } = judge.judge({ path: header.name, type: header.type, target: header.linkname });
      const name = nameInBackup(app.package, each.kind, path);
      const isFile = header.type === 'file';
      if (!name || !(isFile || header.type === 'directory')) {
        if (isFile || header.type !== 'directory') leftOut?.(path);
        entry.resume();
        continue;
      }
      const { mode, uid, gid, mtime, size } = header;
      const own = { name, mode, uid, gid, mtime, type: header.type };
      if (isFile) await put({ ...own, size }, entry);
      else {
        archive.entry(own);
        entry.resume();
      }
    }
    await fed;
  }
}
