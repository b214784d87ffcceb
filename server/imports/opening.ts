import { randomUUID } from 'node:crypto';
import { open, rm, type FileHandle } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { folderKinds, partNameOf } from '@keen-larder/core/apps/copies.ts';
import { appIdOf, isAppId } from '@keen-larder/core/apps/ids.ts';
import type { AppContent } from '@keen-larder/core/apps/import-plan.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { memorySource, slice, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { joinBytes } from '@keen-larder/core/bytes/join.ts';
import {
  readSparse,
  sparseBytes,
  sparseSource,
} from '@keen-larder/core/formats/android-sparse/android-sparse.ts';
import { readApk, readZipDirectory, type Apk } from '@keen-larder/core/formats/apk/apk.ts';
import { gptRegions, readGpt, wholeDiskOf } from '@keen-larder/core/formats/gpt/gpt.ts';
import { headBytes, recogniseImage } from '@keen-larder/core/formats/inspect/inspect.ts';
import { partitionFor, type IncomingFile } from '@keen-larder/core/larder/import-plan.ts';
import { archiveOf } from '@keen-larder/core/phone/archives.ts';
import { tableImageName } from '@keen-larder/core/phone/roles.ts';
import { fileSource, NoRoomFor, sourceBytes, writeSparsely } from '../formats/file-source.ts';
import { looksLikeTar, tarEntries } from '../formats/tar.ts';
import { looksLikeZip, zipEntries } from '../formats/zip.ts';
import { unwrap, wrapperOf } from '../formats/wrappers.ts';

/** A file that came, with what it takes to read the image in it. */
export interface OpenedFile extends IncomingFile {
  /** The file as it lies there, which is what checksum files speak of. */
  plain(): AsyncIterable<Uint8Array>;
  /** The image that it holds. */
  image(): AsyncIterable<Uint8Array>;
  /** When it is a sparse image, which may be a part of one. */
  readonly sparse?: ByteSource;
  /** When it belongs to an app. */
  readonly content?: AppContent;
  /** The archive or whole flash that it lies in, as it lies there. */
  readonly outer?: { readonly path: string; plain(): AsyncIterable<Uint8Array> };
}

const manifestName = 'AndroidManifest.xml';

/** What an APK says; undefined for another archive. @throws FormatError for one that is damaged */
async function apkIn(source: ByteSource): Promise<Apk | undefined> {
  const { entries } = await readZipDirectory(source).catch((error: unknown) => {
    // A zip of more than 4 GiB is no APK; it is for the reader of those.
    if (error instanceof FormatError) return { entries: [] };
    throw error;
  });
  return entries.some(({ name }) => name === manifestName) ? readApk(source) : undefined;
}

/** An app's folder, packed from within: by its name in a copy, or by who owns what is in it. */
async function appFolderIn(source: ByteSource, path: string): Promise<AppContent | undefined> {
  const isNamed = folderKinds.some((kind) => basename(path) === partNameOf(kind));
  let looked = 0;
  for await (const { header } of tarEntries(sourceBytes(source))) {
    if (!/^\.?\/|^\.$/.test(header.name)) return undefined;
    if (isAppId(appIdOf(header.uid ?? 0))) return { kind: 'folder', uid: header.uid };
    if (++looked >= entriesLookedAt) break;
  }
  return isNamed && looked > 0 ? { kind: 'folder', uid: undefined } : undefined;
}

/** Compressed files inside compressed files, and archives inside archives: beyond this nobody nests them. */
const deepest = 4;
const mostEntries = 2000;
/** Folders and hidden files among them. */
const mostZipEntries = 20_000;
/** Beyond these an archive is taken for what it is without them. */
const entriesLookedAt = 8;

/** What cannot be read, by its first bytes, and what to do about it. */
const strangers: readonly (readonly [readonly number[], string])[] = [
  [[0x04, 0x22, 0x4d, 0x18], 'It is compressed by lz4: unpack it by `lz4 -d`, then import what comes out.'],
  [[0x42, 0x5a, 0x68], 'It is compressed by bzip2: unpack it, then import what comes out.'],
  [[0x37, 0x7a, 0xbc, 0xaf], 'It is a 7z archive: unpack it, then import its folder.'],
];

/** Opens files on a disk. What must be unpacked to be read here and there goes into `scratch`. */
export class Opener {
  private readonly handles: FileHandle[] = [];
  private readonly found: { readonly path: string; readonly handle: FileHandle; readonly mtimeMs: number }[] =
    [];

  /** @param scratch a folder that the caller removes */
  constructor(private readonly scratch: string) {}

  async close(): Promise<void> {
    await Promise.all(this.handles.map((handle) => handle.close()));
  }

  /** What a file holds: one entry, or one for each file in an archive. @param path how it is called */
  async open(file: string, path: string): Promise<OpenedFile[]> {
    const handle = await open(file, 'r');
    this.handles.push(handle);
    const { size, mtimeMs } = await handle.stat();
    this.found.push({ path, handle, mtimeMs });
    const source = fileSource(handle, size);
    const found = await this.look(source, path, [], 0);
    const outer = { path, plain: () => sourceBytes(source) };
    return found.map((each) => (each.path === path ? each : { ...each, outer }));
  }

  /** Files that were written to since they were opened. */
  async touched(): Promise<readonly string[]> {
    const now = await Promise.all(this.found.map(({ handle }) => handle.stat()));
    return this.found.filter(({ mtimeMs }, i) => now[i]!.mtimeMs !== mtimeMs).map(({ path }) => path);
  }

  /** @param layers what it was unpacked from @param packed the file as it lies there, if that is another */
  private async look(
    source: ByteSource,
    path: string,
    layers: readonly string[],
    depth: number,
    packed: ByteSource = source,
  ): Promise<OpenedFile[]> {
    const plain = () => sourceBytes(packed);
    const one = { path, bytes: packed.bytes, plain };
    const faulty = (fault: string): OpenedFile[] => [
      { ...one, layers, fault, image: () => sourceBytes(source) },
    ];
    const appPart = (content: AppContent, found: string): OpenedFile => ({
      ...one,
      layers: [...layers, found],
      imageBytes: source.bytes,
      image: () => sourceBytes(source),
      content,
    });
    try {
      const head = await source.read(0, Math.min(source.bytes, headBytes));
      const wrapper = wrapperOf(head);
      const stranger = strangers.find(([mark]) => mark.every((byte, i) => head[i] === byte));
      if (stranger) return faulty(stranger[1]);
      if (source.bytes === 0) return faulty('It is empty.');
      if (depth > deepest) return faulty('It is packed in too many layers.');
      if (wrapper) {
        const unpacked = () => unwrap(wrapper, sourceBytes(source));
        const inner = await beginning(unpacked(), headBytes);
        const found = await recogniseImage(memorySource(inner));
        const through = [...layers, wrapper];
        const isPlain = !['sparse image', 'GPT'].includes(found) && !wrapperOf(inner);
        if (isPlain && !looksLikeTar(inner) && !looksLikeZip(inner)) {
          return [{ ...one, layers: [...through, found], image: unpacked }];
        }
        return await this.look(await this.putAside(unpacked()), path, through, depth + 1, packed);
      }
      if (looksLikeZip(head)) {
        const apk = await apkIn(source);
        if (apk) return [appPart({ kind: 'program', apk }, 'APK')];
        return await this.lookIntoZip(source, path, layers, depth);
      }
      const isFiles = archiveOf(partitionFor(path, []).partition ?? '') !== undefined;
      if (looksLikeTar(head) && !isFiles) {
        const folder = await appFolderIn(source, path);
        if (folder) return [appPart(folder, 'tar')];
        return await this.lookIntoTar(source, path, layers, depth);
      }
      if (looksLikeTar(head))
        return [{ ...one, layers: [...layers, 'tar'], image: () => sourceBytes(source) }];
      const found = await recogniseImage(source);
      if (found === 'GPT' && !(await wholeDiskOf(source))) return await lookIntoFlash(source, path);
      if (found !== 'sparse image') {
        const image = () => sourceBytes(source);
        return [{ ...one, layers: [...layers, found], imageBytes: source.bytes, image }];
      }
      const { imageBytes } = await readSparse(source);
      const unpacked = await sparseSource(source);
      const inner = await recogniseImage(unpacked);
      if (inner === 'GPT' && !(await wholeDiskOf(unpacked))) return await lookIntoFlash(unpacked, path);
      const image = () => sparseBytes(source);
      return [{ ...one, layers: [...layers, found, inner], imageBytes, image, sparse: source }];
    } catch (error) {
      if (error instanceof NoRoomFor)
        return faulty(
          `To be looked into it must be unpacked, and ${error.message}. Free some space, then bring it again.`,
        );
      if (!(error instanceof FormatError)) throw error;
      return faulty(`It cannot be read: ${error.message}.`);
    }
  }

  /** What must be unpacked to be read here and there. */
  private async putAside(bytes: AsyncIterable<Uint8Array>): Promise<ByteSource> {
    const name = join(this.scratch, randomUUID());
    try {
      await writeSparsely(name, bytes);
    } catch (error) {
      await rm(name, { force: true });
      throw error;
    }
    const handle = await open(name, 'r');
    this.handles.push(handle);
    const { size } = await handle.stat();
    return fileSource(handle, size);
  }

  private async lookIntoZip(
    source: ByteSource,
    path: string,
    layers: readonly string[],
    depth: number,
  ): Promise<OpenedFile[]> {
    const found: OpenedFile[] = [];
    for await (const { name, content } of zipEntries(source, mostZipEntries)) {
      if (found.length >= mostEntries) throw new FormatError('zip', 'entries', 0, `more than ${mostEntries}`);
      if (name.split('/').some((part) => part.startsWith('.'))) continue;
      const inner = await this.putAside(content());
      found.push(...(await this.look(inner, `${path}/${name}`, [...layers, 'zip'], depth + 1)));
    }
    return found.map((file) => ({ ...file, layers: file.layers.slice(layers.length + 1) }));
  }

  private async lookIntoTar(
    source: ByteSource,
    path: string,
    layers: readonly string[],
    depth: number,
  ): Promise<OpenedFile[]> {
    const found: OpenedFile[] = [];
    for await (const { header, offset } of tarEntries(sourceBytes(source))) {
      if (header.type !== 'file') continue;
      if (found.length >= mostEntries)
        throw new FormatError('tar', 'entries', offset, `more than ${mostEntries}`);
      const inner = slice(source, offset, header.size ?? 0);
      found.push(...(await this.look(inner, `${path}/${header.name}`, [...layers, 'tar'], depth + 1)));
    }
    // Behind the last entry only the images themselves are told; that they came in an archive is in the path.
    return found.map((file) => ({ ...file, layers: file.layers.slice(layers.length + 1) }));
  }
}

/**
 * The partitions of a whole flash, and both copies of its partition table. What a partition holds is what it
 * is: nothing in it is unpacked.
 */
async function lookIntoFlash(source: ByteSource, path: string): Promise<OpenedFile[]> {
  const { partitions, sectorBytes } = await readGpt(source);
  const { primary, backup } = await gptRegions(source, sectorBytes);
  const places = [
    { name: tableImageName('primary'), startBytes: primary.offset, bytes: primary.bytes },
    ...partitions,
    { name: tableImageName('backup'), startBytes: backup.offset, bytes: backup.bytes },
  ];
  const found: OpenedFile[] = [];
  for (const { name, startBytes, bytes } of places) {
    const within = slice(source, startBytes, bytes);
    const image = () => sourceBytes(within);
    const layers = [await recogniseImage(within)];
    found.push({
      path: `${path}/${name}`,
      partition: name,
      bytes,
      layers,
      imageBytes: bytes,
      plain: image,
      image,
    });
  }
  return found;
}

async function beginning(stream: AsyncIterable<Uint8Array>, bytes: number): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  let had = 0;
  for await (const part of stream) {
    parts.push(part);
    had += part.length;
    if (had >= bytes) break;
  }
  return joinBytes(parts).subarray(0, bytes);
}

/** The image that one file or several parts hold. */
export async function imageOf(files: readonly OpenedFile[]): Promise<AsyncIterable<Uint8Array>> {
  const [first] = files as [OpenedFile];
  if (files.length === 1) return first.image();
  return sourceBytes(await sparseSource(...files.map(({ sparse }) => sparse!)));
}
