import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { pack as tarPack } from 'tar-stream';
import type { CopyView } from '@keen-larder/contract/copies.ts';
import { copyDescriptionName, describeCopy } from '@keen-larder/core/apps/description.ts';
import { readImage } from '../shelf/image-reader.ts';
import { checksumTexts, digested, type WrittenFile } from './export.ts';
import type { Larder } from './larder.ts';

/**
 * A copy as one tar archive of ordinary files: its APKs as they are, its data as tar, what it is as JSON, and the
 * checksum files of all of them.
 */
export function copyTar(larder: Larder, copy: CopyView): AsyncIterable<Uint8Array> {
  const tar = tarPack();
  const phone = larder.phone(copy.serial)!;
  const folder = `${copy.app.package}-${copy.app.versionCode}`;
  const mtime = new Date(copy.createdAt);
  const fill = async () => {
    const written: WrittenFile[] = [];
    const put = async (name: string, size: number, content: AsyncIterable<Uint8Array>) => {
      const { bytes, digests } = digested(content);
      await pipeline(Readable.from(bytes), tar.entry({ name: `${folder}/${name}`, size, mtime }));
      written.push({ name, ...digests() });
    };
    for (const { name, bytes } of copy.parts)
      await put(name, bytes, readImage(larder.shelf, larder.copies.part(copy.id, name)));
    const description = Buffer.from(`${JSON.stringify(describeCopy(copy, phone), null, 2)}\n`);
    await put(copyDescriptionName, description.length, Readable.from([description]));
    for (const [name, text] of Object.entries(checksumTexts(written)))
      tar.entry({ name: `${folder}/${name}`, mtime }, text);
    tar.finalize();
  };
  fill().catch((error: unknown) => tar.destroy(error as Error));
  return tar as AsyncIterable<Uint8Array>;
}
