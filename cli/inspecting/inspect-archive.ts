import { open, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { Apk } from '@keen-larder/core/formats/apk/apk.ts';
import { inspectImage, inspection, type Inspection } from '@keen-larder/core/formats/inspect/inspect.ts';
import { looksLikePayload } from '@keen-larder/core/formats/update-payload/payload.ts';
import { fileSource, writeSparsely } from '@keen-larder/server/formats/file-source.ts';
import { looksLikeTar } from '@keen-larder/server/formats/tar.ts';
import { looksLikeZip } from '@keen-larder/server/formats/zip.ts';
import { joinBlockUpdates } from '@keen-larder/server/imports/opening/block-updates.ts';
import type { OpenedFile } from '@keen-larder/server/imports/opening/opened-file.ts';
import { Opener } from '@keen-larder/server/imports/opening/opening.ts';

const kinds: readonly (readonly [string, (head: Uint8Array) => boolean])[] = [
  ['zip archive', looksLikeZip],
  ['update payload', looksLikePayload],
  ['tar archive', looksLikeTar],
];

/** Enough for every mark. */
export const archiveHeadBytes = 512;

/** What kind of archive a file is, by its first bytes. */
export const archiveKind = (head: Uint8Array): string | undefined =>
  kinds.find(([, looks]) => looks(head))?.[0];

/** An archive and what lies in it, as an import would take it in. @param scratch a folder that the caller removes */
export async function inspectArchive(
  path: string,
  kind: string,
  bytes: number,
  scratch: string,
): Promise<Inspection> {
  const opener = new Opener(scratch);
  try {
    const files = await joinBlockUpdates(await opener.open(path, 'it'));
    const [only] = files;
    if (files.length === 1 && only!.content?.kind === 'program') return ofApk(only!.content.apk, bytes);
    const inner: { name: string; inspection: Inspection }[] = [];
    for (const file of files)
      inner.push({ name: file.path.replace(/^it\//, ''), inspection: await ofFile(file, scratch) });
    return inspection(kind, bytes, { inner });
  } finally {
    await opener.close();
  }
}

async function ofFile(file: OpenedFile, scratch: string): Promise<Inspection> {
  const { bytes, fault, notes = [], content } = file;
  if (fault !== undefined) return inspection('not read', bytes, { findings: [fault] });
  if (content?.kind === 'program') return ofApk(content.apk, bytes);
  if (content) return inspection('tar of an app’s folder', bytes);
  const unpacked = join(scratch, 'looked-at');
  try {
    const size = await writeSparsely(unpacked, file.image());
    const handle = await open(unpacked, 'r');
    try {
      const found = await inspectImage(fileSource(handle, size));
      return { ...found, rows: [...found.rows, ...notes] };
    } finally {
      await handle.close();
    }
  } catch (error) {
    if (!(error instanceof FormatError)) throw error;
    return inspection(file.layers.at(-1) ?? 'not read', bytes, { findings: [`${error.message}.`] });
  } finally {
    await rm(unpacked, { force: true });
  }
}

const ofApk = (apk: Apk, bytes: number): Inspection =>
  inspection('APK', bytes, {
    fields: {
      package: apk.package,
      label: apk.label,
      version: `${apk.versionName ?? ''} (${apk.versionCode})`.trim(),
      'native code': apk.abis.join(' ') || 'none',
      signed: apk.signing ? 'yes' : 'no',
    },
  });
