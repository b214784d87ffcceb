import { createHash } from 'node:crypto';
import type { CopiedApp } from '@keen-larder/core/apps/copies.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { readApk } from '@keen-larder/core/formats/apk/apk.ts';
import type { BackedUpApp } from '@keen-larder/core/formats/android-backup/app-manifest.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { readBackupContent, type BackupContent } from '../../formats/android-backup/backup-content.ts';
import { sourceBytes } from '../../formats/file-source.ts';
import type { OpenedFile } from './opened-file.ts';

/** What a backup says of an app, without its program. */
const appOf = (
  { package: name, versionCode, sdk, installer, signatures }: BackedUpApp,
  uid: number,
): CopiedApp => ({
  package: name,
  label: name,
  versionCode,
  uid,
  abis: [],
  certificates: signatures.map((each) => createHash('sha256').update(each, 'hex').digest('hex')),
  isBuiltIn: false,
  isEnabled: true,
  permissions: [],
  hasHardwareKeys: false,
  installer,
  sdk,
});

/** The programs and folders of apps in a backup's archive, each app in a folder of its name. */
export async function lookIntoBackup(tar: ByteSource, path: string): Promise<OpenedFile[]> {
  const content = await readBackupContent(tar);
  const said = saidOf(content, path);
  const found: OpenedFile[] = [];
  for (const { app, programs, folders } of content.apps) {
    const uid = folders.find((each) => each.uid !== undefined)?.uid ?? 0;
    const told = appOf(app, uid);
    const within = `${path}/${app.package}`;
    for (const { name, source } of programs) {
      const image = () => sourceBytes(source);
      found.push({
        ...{ path: `${within}/${name}`, bytes: source.bytes, imageBytes: source.bytes },
        ...{ layers: ['APK'], plain: image, image, said },
        content: { kind: 'program', apk: await readApk(source), told },
      });
    }
    for (const folder of folders) {
      const image = () => folder.read();
      found.push({
        ...{ path: `${within}/${folder.name}`, bytes: folder.bytes, imageBytes: folder.bytes },
        ...{ layers: ['tar'], plain: image, image, said },
        content: { kind: 'folder', uid: folder.uid, told },
      });
    }
  }
  return found;
}

/** What of it is not taken in, for which it is to be kept. */
function saidOf({ shared, byRecords, withWidgets, strangers }: BackupContent, path: string): string[] {
  const files = `${shared.files === 1 ? 'one file' : `${shared.files} files`}, ${sizeText(shared.bytes)}`;
  const left = [
    ...(shared.files > 0 ? [`shared storage (${files})`] : []),
    ...(byRecords.length > 0
      ? [`what ${listText(byRecords)} gave as records, which Android alone puts back`]
      : []),
    ...(withWidgets.length > 0 ? [`widgets of ${listText(withWidgets)}`] : []),
    ...(strangers.length > 0 ? [`${listText(strangers)}, which is not known`] : []),
  ];
  return left.length > 0 ? [`Not taken in: ${left.join('; ')}. Keep ${path} for that.`] : [];
}
