import { basename } from 'node:path';
import { folderKinds, partNameOf } from '@keen-larder/core/apps/copies.ts';
import { appIdOf, isAppId } from '@keen-larder/core/apps/ids.ts';
import type { AppContent } from '@keen-larder/core/apps/import-plan.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { readApk, readZipDirectory, type Apk } from '@keen-larder/core/formats/apk/apk.ts';
import { placedEntries } from '../../formats/tar-source.ts';

const manifestName = 'AndroidManifest.xml';
/** Beyond these an archive is taken for what it is without them. */
const entriesLookedAt = 8;

/** What an APK says; undefined for another archive. @throws FormatError for one that is damaged */
export async function apkIn(source: ByteSource): Promise<Apk | undefined> {
  const { entries } = await readZipDirectory(source).catch((error: unknown) => {
    // A zip of more than 4 GiB is no APK; it is for the reader of those.
    if (error instanceof FormatError) return { entries: [] };
    throw error;
  });
  return entries.some(({ name }) => name === manifestName) ? readApk(source) : undefined;
}

/** An app's folder, packed from within: by its name in a copy, or by who owns what is in it. */
export async function appFolderIn(source: ByteSource, path: string): Promise<AppContent | undefined> {
  const isNamed = folderKinds.some((kind) => basename(path) === partNameOf(kind));
  let looked = 0;
  for await (const { header } of placedEntries(source)) {
    if (!/^\.?\/|^\.$/.test(header.name)) return undefined;
    if (isAppId(appIdOf(header.uid ?? 0))) return { kind: 'folder', uid: header.uid };
    if (++looked >= entriesLookedAt) break;
  }
  return isNamed && looked > 0 ? { kind: 'folder', uid: undefined } : undefined;
}
