import { randomUUID } from 'node:crypto';
import { open, rm, type FileHandle } from 'node:fs/promises';
import { join, posix } from 'node:path';
import type { AppContent } from '@keen-larder/core/apps/import-plan.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { memorySource, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import {
  readSparse,
  sparseBytes,
  sparseSource,
} from '@keen-larder/core/formats/android-sparse/android-sparse.ts';
import { wholeDiskOf } from '@keen-larder/core/formats/gpt/gpt.ts';
import { looksLikeBackup } from '@keen-larder/core/formats/android-backup/header.ts';
import { headBytes, recogniseImage } from '@keen-larder/core/formats/inspect/inspect.ts';
import { readTransferList } from '@keen-larder/core/formats/block-update/transfer-list.ts';
import { looksLikePayload } from '@keen-larder/core/formats/update-payload/payload.ts';
import { readUtf8 } from '@keen-larder/core/bytes/text.ts';
import { partitionFor } from '@keen-larder/core/larder/import-plan.ts';
import { archiveOf } from '@keen-larder/core/phone/archives.ts';
import { backupTar, BackupLocked } from '../../formats/android-backup/backup-stream.ts';
import { fileSource, NoRoomFor, sourceBytes, writeSparsely } from '../../formats/file-source.ts';
import { entrySource, placedEntries, type PlacedEntry } from '../../formats/tar-source.ts';
import { looksLikeTar } from '../../formats/tar.ts';
import { looksLike7z, sevenZipEntries } from '../../formats/unpacking/seven-zip.ts';
import { looksLikeZip, zipEntries, type ArchiveEntry } from '../../formats/zip.ts';
import { unbrotli, unwrap, wrapperOf } from '../../formats/unpacking/wrappers.ts';
import { lookIntoBackup } from './android-backups.ts';
import { apkIn, appFolderIn } from './app-parts.ts';
import { beginning } from './beginning.ts';
import { updatePartOf } from './block-updates.ts';
import { endsEarly, lookIntoFlash } from './flashes.ts';
import { withoutSum, wrongIn } from './judging.ts';
import type { OpenedFile } from './opened-file.ts';
import { lookIntoPayload } from './payloads.ts';

/** Compressed files inside compressed files, and archives inside archives: beyond this nobody nests them. */
const deepest = 4;
const mostEntries = 2000;
/** Folders and hidden files among them. */
const mostZipEntries = 20_000;

/** Lists of updates have a line for each command. */
const mostListBytes = 64 << 20;

/** Opens files on a disk. What must be unpacked to be read here and there goes into `scratch`. */
export class Opener {
  private readonly handles: FileHandle[] = [];
  private readonly found: { readonly path: string; readonly handle: FileHandle; readonly mtimeMs: number }[] =
    [];

  /**
   * @param scratch a folder that the caller removes
   * @param passphrase of what is encrypted
   */
  constructor(
    private readonly scratch: string,
    private readonly passphrase?: string,
  ) {}

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
      const update = await this.updatePart(source, path, layers, packed);
      if (update) return [update];
      const head = await source.read(0, Math.min(source.bytes, headBytes));
      const wrapper = wrapperOf(head);
      if (isRar(head)) return faulty('It is a rar archive: unpack it, then import its folder.');
      if (source.bytes === 0) return faulty('It is empty.');
      if (depth > deepest) return faulty('It is packed in too many layers.');
      if (wrapper) {
        const unpacked = () => unwrap(wrapper, sourceBytes(source));
        const inner = await beginning(unpacked(), headBytes);
        const found = await recogniseImage(memorySource(inner));
        const through = [...layers, wrapper];
        const isPlain = !['sparse image', 'GPT'].includes(found) && !wrapperOf(inner);
        if (
          isPlain &&
          !looksLikeTar(inner) &&
          !looksLikeZip(inner) &&
          !looksLike7z(inner) &&
          !isOther(inner)
        ) {
          return [{ ...one, layers: [...through, found], image: unpacked }];
        }
        return await this.look(await this.putAside(unpacked()), path, through, depth + 1, packed);
      }
      if (looksLikeZip(head)) {
        const apk = await apkIn(source);
        if (apk) return [appPart({ kind: 'program', apk }, 'APK')];
        return await this.lookIntoEntries('zip', source, path, layers, depth);
      }
      if (looksLike7z(head)) return await this.lookIntoEntries('7z', source, path, layers, depth);
      if (looksLikePayload(head)) return await this.lookIntoPayload(source, path, layers);
      if (looksLikeBackup(head)) {
        const tar = await this.putAside(backupTar(sourceBytes(source), this.passphrase));
        return await lookIntoBackup(tar, path);
      }
      const isFiles = archiveOf(partitionFor(path, []).partition ?? '') !== undefined;
      if (looksLikeTar(head) && /\.md5$/i.test(path)) {
        const summed = await withoutSum(source);
        if (typeof summed === 'string') return faulty(summed);
        return await this.look(summed, path.replace(/\.md5$/i, ''), layers, depth + 1, packed);
      }
      if (looksLikeTar(head) && !isFiles) {
        const folder = await appFolderIn(source, path);
        if (folder) return [appPart(folder, 'tar')];
        return await this.lookIntoTar(source, path, layers, depth);
      }
      if (looksLikeTar(head))
        return [{ ...one, layers: [...layers, 'tar'], image: () => sourceBytes(source) }];
      const found = await recogniseImage(source);
      if (found === 'GPT') {
        if (!(await wholeDiskOf(source))) return await lookIntoFlash(source, path);
        const short = await endsEarly(source);
        if (short) return faulty(short);
      }
      if (found !== 'sparse image') {
        const image = () => sourceBytes(source);
        return [
          {
            ...one,
            layers: [...layers, found],
            imageBytes: source.bytes,
            image,
            notes: await wrongIn(source),
          },
        ];
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
      if (error instanceof BackupLocked)
        return [{ ...faulty(`${error.message} Give the passphrase to look into it.`)[0]!, isLocked: true }];
      if (!(error instanceof FormatError)) throw error;
      return faulty(`It cannot be read: ${error.message}.`);
    }
  }

  /** A part of an update by blocks, by its name: its bytes say nothing of it. */
  private async updatePart(
    source: ByteSource,
    path: string,
    layers: readonly string[],
    packed: ByteSource,
  ): Promise<OpenedFile | undefined> {
    const part = updatePartOf(path);
    if (!part) return undefined;
    const { kind, stem } = part;
    const plain = () => sourceBytes(packed);
    const one = { path, bytes: packed.bytes, plain, image: plain, layers: [...layers, 'update by blocks'] };
    if (kind === 'list') {
      const list = readTransferList(await textOf(source, mostListBytes));
      return { ...one, updatePart: { stem, list } };
    }
    if (kind === 'patches') {
      const fault =
        'It holds patches for what the phone has installed: this is an incremental update. Bring the full one.';
      return { ...one, updatePart: { stem }, ...(source.bytes > 0 && { fault }) };
    }
    const blocks = kind === 'blocks' ? source : await this.putAside(unbrotli(sourceBytes(source)));
    return { ...one, updatePart: { stem, blocks } };
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

  private async lookIntoEntries(
    kind: 'zip' | '7z',
    source: ByteSource,
    path: string,
    layers: readonly string[],
    depth: number,
  ): Promise<OpenedFile[]> {
    const found: OpenedFile[] = [];
    const names = new Set<string>();
    let certificate: string | undefined;
    const payloads: { readonly name: string; readonly inner: ByteSource }[] = [];
    for await (const entry of (kind === 'zip' ? zipEntries : sevenZipEntries)(source, mostZipEntries)) {
      const { name } = entry;
      if (found.length >= mostEntries) throw new FormatError(kind, 'entries', 0, `more than ${mostEntries}`);
      if (name.split('/').some((part) => part.startsWith('.'))) continue;
      if (names.has(name))
        throw new FormatError(kind, name, 0, 'it stands there twice, and one of them is wrong');
      names.add(name);
      const inner = await this.unpackedEntry(entry);
      if (typeof inner === 'string') {
        found.push(this.faulty(source, `${path}/${name}`, [], inner));
        continue;
      }
      if (name === certificatePath) certificate = await textOf(inner, mostCertificateBytes);
      if (await isPayload(inner)) payloads.push({ name, inner });
      else found.push(...(await this.look(inner, `${path}/${name}`, [...layers, kind], depth + 1)));
    }
    for (const { name, inner } of payloads)
      found.push(...(await this.lookIntoPayload(inner, `${path}/${name}`, [...layers, kind], certificate)));
    return withoutOuter(found, layers);
  }

  /** Unpacked, or why it cannot be. */
  private async unpackedEntry({ content, fault }: ArchiveEntry): Promise<ByteSource | string> {
    if (fault !== undefined) return fault;
    try {
      return await this.putAside(content());
    } catch (error) {
      if (!(error instanceof FormatError)) throw error;
      return `It cannot be read: ${error.message}.`;
    }
  }

  private async lookIntoPayload(
    source: ByteSource,
    path: string,
    layers: readonly string[],
    certificate?: string,
  ): Promise<OpenedFile[]> {
    try {
      const found = await lookIntoPayload(source, path, certificate);
      return found.map((file) => ({ ...file, layers: [...layers, ...file.layers] }));
    } catch (error) {
      if (!(error instanceof FormatError)) throw error;
      return [this.faulty(source, path, layers, `It cannot be read: ${error.message}.`)];
    }
  }

  private faulty(source: ByteSource, path: string, layers: readonly string[], fault: string): OpenedFile {
    const bytes = () => sourceBytes(source);
    return { path, bytes: source.bytes, layers, fault, plain: bytes, image: bytes };
  }

  private async lookIntoTar(
    source: ByteSource,
    path: string,
    layers: readonly string[],
    depth: number,
  ): Promise<OpenedFile[]> {
    const found: OpenedFile[] = [];
    const files = new Map<string, PlacedEntry>();
    for await (const entry of placedEntries(source)) {
      const { type, name, linkname } = entry.header;
      if (type === 'directory') continue;
      if (found.length >= mostEntries) throw new FormatError('tar', 'entries', 0, `more than ${mostEntries}`);
      // The same file under another name was packed before.
      const packed = type === 'link' ? files.get(plainPath(linkname ?? '')) : entry;
      const inside = `${path}/${name.replace(/^\.\//, '')}`;
      if (type === 'file' || (type === 'link' && packed)) {
        files.set(plainPath(name), packed!);
        const inner = entrySource(source, packed!);
        found.push(...(await this.look(inner, inside, [...layers, 'tar'], depth + 1)));
      } else if (type === 'link' || type === 'symlink') {
        const words = `It is a link to ${linkname}, ${type === 'link' ? 'which is not in the archive before it' : 'not a file'}: bring that one.`;
        found.push({ ...this.faulty(source, inside, [...layers, 'tar'], words), bytes: 0 });
      } else {
        const words = `It is not a file but a ${type}: there is nothing to keep of it.`;
        found.push({ ...this.faulty(source, inside, [...layers, 'tar'], words), bytes: 0 });
      }
    }
    return withoutOuter(found, layers);
  }
}

/** "Rar!", 1A 07. */
const isRar = (head: Uint8Array) => [0x52, 0x61, 0x72, 0x21, 0x1a, 0x07].every((byte, i) => head[i] === byte);

/** What is looked into in its own way. */
const isOther = (head: Uint8Array) => looksLikePayload(head) || looksLikeBackup(head);

/** Behind the last entry only the images themselves are told; that they came in an archive is in the path. */
const withoutOuter = (found: readonly OpenedFile[], layers: readonly string[]): OpenedFile[] =>
  found.map((file) => ({ ...file, layers: file.layers.slice(layers.length + 1) }));

const plainPath = (name: string): string => posix.normalize(`/${name}`);

const isPayload = async (source: ByteSource): Promise<boolean> =>
  source.bytes > 4 && looksLikePayload(await source.read(0, 4));

/** Where an update has the certificate that it is signed by (AOSP, build/make, ota_from_target_files). */
const certificatePath = 'META-INF/com/android/otacert';
const mostCertificateBytes = 64 << 10;

async function textOf(source: ByteSource, most: number): Promise<string> {
  return readUtf8(await source.read(0, Math.min(source.bytes, most)));
}

/** The image that one file or several parts hold. */
export async function imageOf(files: readonly OpenedFile[]): Promise<AsyncIterable<Uint8Array>> {
  const [first] = files as [OpenedFile];
  if (files.length === 1) return first.image();
  return sourceBytes(await sparseSource(...files.map(({ sparse }) => sparse!)));
}
