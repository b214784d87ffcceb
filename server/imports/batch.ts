import { lstat, mkdir, readdir, rm } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import {
  parseDescription,
  copyDescriptionName,
  type CopyDescription,
} from '@keen-larder/core/apps/description.ts';
import type { AppContent } from '@keen-larder/core/apps/import-plan.ts';
import {
  isChecksumFileName,
  checksumsIn,
  type Checksum,
} from '@keen-larder/core/formats/checksum-files/checksum-files.ts';
import {
  mergedPackages,
  metadataPath,
  packageText,
  readPackageMetadata,
  readRequirements,
  requirementsName,
  type PackageFacts,
} from '@keen-larder/core/formats/package-metadata/package-metadata.ts';
import { contentsFileName, parseContents, type Contents } from '@keen-larder/core/larder/contents.ts';
import { giveWay } from '../async/give-way.ts';
import { RunFailure } from '../failures.ts';
import { joinBlockUpdates } from './opening/block-updates.ts';
import type { OpenedFile } from './opening/opened-file.ts';
import { Opener } from './opening/opening.ts';

/** Stands in a folder that a browser copied, so that it is removed once it is kept. */
export const copyMark = '.copied-by-browser';
const mostFiles = 2000;
export const deepestFolder = 8;
/** Of one file. */
const mostChecksums = 8;
/** Longer ones are no lists. */
const mostListBytes = 4 << 20;

/** What a folder or file in the watched folder was found to hold. */
export interface Batch {
  readonly id: string;
  readonly path: string;
  readonly isCopy: boolean;
  /** Images, and what might be one. */
  readonly files: readonly OpenedFile[];
  /** Programs of apps and archives of their folders. */
  readonly parts: readonly OpenedPart[];
  /** By the folder that they lie in, with its `/`. */
  readonly descriptions: ReadonlyMap<string, CopyDescription>;
  /** By the path of the file that they speak of. */
  readonly checksums: ReadonlyMap<string, readonly Checksum[]>;
  readonly contents: Contents | undefined;
  /** What packages in it say of themselves, a sentence each. */
  readonly said: readonly string[];
  /** What its package says; left out where there is none, or more than one. */
  readonly package: PackageFacts | undefined;
  /** Files that a passphrase opens, which was not given, or is another one. */
  readonly locked: readonly string[];
  readonly bytes: number;
  /** Whether the same files lie there still, none of them written to. */
  isAsItLies(): Promise<boolean>;
  /**
   * Keeps its files open until it is released, though it may be closed meanwhile.
   * @throws RunFailure when it was closed before
   */
  hold(): () => Promise<void>;
  /** Files that were written to since they were looked at. */
  touched(): Promise<readonly string[]>;
  close(): Promise<void>;
}

/**
 * A file or folder of files, as something to import.
 * @param scratch a folder for what must be unpacked
 * @param passphrase of what is encrypted
 */
export async function openBatch(
  id: string,
  path: string,
  scratch: string,
  passphrase?: string,
): Promise<Batch> {
  await mkdir(scratch, { recursive: true });
  const opener = new Opener(scratch, passphrase);
  let holders = 0;
  let isClosed = false;
  const end = async () => {
    await opener.close();
    await rm(scratch, { recursive: true, force: true });
  };
  const close = async () => {
    if (isClosed) return;
    isClosed = true;
    if (holders === 0) await end();
  };
  const hold = () => {
    if (isClosed) {
      const words = `${id} changed since it was looked at. Nothing was kept. Look at what lies there now, then start again.`;
      throw new RunFailure(words);
    }
    holders++;
    return async () => {
      if (--holders === 0 && isClosed) await end();
    };
  };
  try {
    const lies = await lieOf(path);
    const stat = await lstat(path);
    const names = stat.isDirectory() ? await filesIn(path) : stat.isFile() ? [''] : [];
    const files: OpenedFile[] = [];
    for (const name of names) files.push(...(await opener.open(join(path, name), name || basename(path))));
    const { images, parts, ...lists } = await apart(await joinBlockUpdates(files));
    return {
      id,
      path,
      isCopy: stat.isDirectory() && (await exists(join(path, copyMark))),
      files: images,
      parts,
      ...lists,
      locked: images.filter(({ isLocked }) => isLocked).map((each) => each.path),
      bytes: [...images, ...parts].reduce((sum, each) => sum + each.bytes, 0),
      isAsItLies: async () => (await lieOf(path)) === lies,
      hold,
      touched: () => opener.touched(),
      close,
    };
  } catch (error) {
    await close();
    throw error;
  }
}

/** A file that belongs to an app. */
export type OpenedPart = OpenedFile & { readonly content: AppContent };
const isPart = (file: OpenedFile): file is OpenedPart => file.content !== undefined;

/** What goes along in updates and is no image: signatures, scripts and lists for the phone's own use (AOSP, ota_from_target_files). */
const describesPackage =
  /(?:^|\/)(?:META-INF\/.+|care_map\.(?:pb|txt)|apex_info\.pb|payload_properties\.txt)$/;

/** Lists apart from images and from what belongs to apps. */
async function apart(files: readonly OpenedFile[]) {
  const images: OpenedFile[] = [];
  const parts: OpenedPart[] = [];
  const descriptions = new Map<string, CopyDescription>();
  const checksums = new Map<string, Checksum[]>();
  let contents: Contents | undefined;
  const said: string[] = [];
  const updates: PackageFacts[] = [];
  const requirements: PackageFacts[] = [];
  for (const file of files) {
    for (const words of file.said ?? []) if (!said.includes(words)) said.push(words);
    const name = basename(file.path);
    const isSmall = file.bytes <= mostListBytes;
    if (isSmall && (file.path.endsWith(`/${metadataPath}`) || name === requirementsName)) {
      const isAsking = name === requirementsName;
      const facts = (isAsking ? readRequirements : readPackageMetadata)(await textOf(file));
      (isAsking ? requirements : updates).push(facts);
      said.push(...packageText(facts));
      continue;
    }
    if (describesPackage.test(file.path)) continue;
    // An archive may have the name of a list, since its sum stands behind it.
    if (isSmall && isChecksumFileName(name) && file.layers.at(-1) === 'raw') {
      for (const each of checksumsIn(await textOf(file))) {
        await giveWay();
        const path = join(dirname(file.path), each.name);
        const of = checksums.get(path) ?? [];
        // Two that differ are enough to say that something is wrong; a list may name one file a hundred thousand times.
        const isKnown = of.some(({ kind, digest }) => kind === each.kind && digest === each.digest);
        if (!isKnown && of.length < mostChecksums) of.push(each);
        checksums.set(path, of);
      }
    } else if (isSmall && name === contentsFileName) contents = parseContents(await textOf(file));
    else if (isSmall && name === copyDescriptionName) {
      const description = describedIn(file.path, await textOf(file));
      if (description) descriptions.set(file.path.slice(0, -name.length), description);
    } else if (isPart(file)) parts.push(file);
    else if (!/\.(txt|md|json|pdf|log)$/i.test(name)) images.push(file);
  }
  const isOne = updates.length <= 1 && requirements.length <= 1;
  const itsPackage = isOne ? mergedPackages([...updates, ...requirements]) : undefined;
  return { images, parts, checksums, contents, descriptions, said, package: itsPackage };
}

function describedIn(path: string, text: string): CopyDescription | undefined {
  try {
    return parseDescription(text);
  } catch (error) {
    throw new Error(`${path}: ${(error as Error).message}`);
  }
}

async function textOf(file: OpenedFile): Promise<string> {
  const parts: Uint8Array[] = [];
  for await (const part of file.plain()) parts.push(part);
  return Buffer.concat(parts).toString('utf8');
}

/** Which files lie at a place, how long they are and when each was written to: where two agree, nothing happened between. */
async function lieOf(path: string): Promise<string> {
  const names = (await lstat(path)).isDirectory() ? await filesIn(path) : [''];
  const stats = await Promise.all(names.map((name) => lstat(join(path, name), { bigint: true })));
  return JSON.stringify(stats.map(({ ino, size, mtimeNs }, i) => [names[i], `${ino} ${size} ${mtimeNs}`]));
}

/** Plain files below a folder, by their paths in it; links and hidden files are passed over. */
async function filesIn(folder: string, within = '', depth = 0): Promise<string[]> {
  if (depth > deepestFolder) throw new Error(`folders are nested more than ${deepestFolder} deep`);
  const found: string[] = [];
  for (const entry of await readdir(join(folder, within), { withFileTypes: true })) {
    if (entry.name.startsWith('.')) continue;
    const path = within ? `${within}/${entry.name}` : entry.name;
    if (entry.isDirectory()) found.push(...(await filesIn(folder, path, depth + 1)));
    else if (entry.isFile()) found.push(path);
    if (found.length > mostFiles) throw new Error(`there are more than ${mostFiles} files`);
  }
  return found.sort();
}

export const exists = (path: string) =>
  lstat(path).then(
    () => true,
    () => false,
  );
