import type { InsideView, PreviewView } from '@keen-larder/contract/inside.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { slice, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { inspectImage, inspection, type Inspection } from '@keen-larder/core/formats/inspect/inspect.ts';
import { isFileSystem } from '@keen-larder/core/formats/file-system/names.ts';
import {
  logicalSource,
  readLogicalPartitions,
  type LogicalExtent,
  type LogicalPartition,
} from '@keen-larder/core/formats/logical-partitions/logical-partitions.ts';
import type { ImageRow } from '../../database/sets.ts';
import { fileSystemTree, tarTree, type FileTree } from './file-trees.ts';
import { imageSource } from './image-source.ts';
import { textOf } from './text-of.ts';
import type { Larder } from '../larder.ts';
import { Problem } from '../../failures.ts';

const keptImages = 6;
const previewBytes = 64 * 1024;
const hexBytes = 512;

/** Looks into images on the shelf without unpacking them; the last few stay at hand. */
export class Inside {
  private readonly sources = new Map<string, ByteSource>();
  private readonly trees = new Map<string, Promise<FileTree>>();

  constructor(private readonly larder: Larder) {}

  async view(setId: string, partition: string): Promise<InsideView> {
    const image = this.larder.image(setId, partition);
    if (image.kind === 'archive') {
      return { inspection: inspection('tar archive', image.bytes), trees: [''] };
    }
    const found = await inspectImage(this.sourceOf(image));
    return { inspection: found, trees: treesOf(found) };
  }

  /** What lies on a phone. */
  async viewOf(source: ByteSource): Promise<InsideView> {
    const found = await inspectImage(source);
    return { inspection: found, trees: treesOf(found) };
  }

  /** A tree on a phone, and where its bytes lie in the partition. @param part as `tree` */
  async treeOf(
    source: ByteSource,
    part: string,
  ): Promise<{ readonly tree: FileTree; readonly toImage: (range: ByteRange) => ByteRange[] }> {
    if (part === '') return { tree: await fileSystemTree(source), toImage: (range) => [range] };
    const partition = await partOf(source, part);
    const tree = await fileSystemTree(logicalSource(partition, [slice(source, 0, source.bytes)]));
    return { tree, toImage: (range) => placesIn(partition.extents, range) };
  }

  /** @param part name of a logical partition within; empty for the image itself */
  tree(setId: string, partition: string, part: string): Promise<FileTree> {
    const image = this.larder.image(setId, partition);
    const key = `${keyOf(image)} ${part}`;
    return remembered(this.trees, key, async () => {
      const source = this.sourceOf(image);
      if (image.kind === 'archive') return tarTree(source);
      if (part === '') return fileSystemTree(source);
      return fileSystemTree(logicalSource(await partOf(source, part), [slice(source, 0, source.bytes)]));
    });
  }

  /** A folder of an app as it was copied. @throws Problem 404 */
  treeOfCopy(copyId: string, name: string): Promise<FileTree> {
    const { copies, shelf } = this.larder;
    return remembered(this.trees, `copy ${copyId} ${name}`, () =>
      tarTree(imageSource(shelf, copies.part(copyId, name))),
    );
  }

  /** Where bytes of a tree's source lie in the image. @param part as `tree` */
  async placesIn(setId: string, partition: string, part: string): Promise<(range: ByteRange) => ByteRange[]> {
    if (part === '') return (range) => [range];
    const { extents } = await partOf(this.source(setId, partition), part);
    return (range) => placesIn(extents, range);
  }

  async preview(tree: FileTree, path: string): Promise<PreviewView> {
    const { bytes, content } = await tree.open(path);
    const parts: Uint8Array[] = [];
    let had = 0;
    for await (const part of content) {
      parts.push(part.subarray(0, previewBytes - had));
      had += parts.at(-1)!.length;
      if (had >= previewBytes) break;
    }
    const shown = Buffer.concat(parts);
    const text = textOf(shown, had < bytes);
    if (text !== undefined) return { bytes, shownBytes: had, text, hex: undefined };
    const some = shown.subarray(0, hexBytes);
    return { bytes, shownBytes: some.length, text: undefined, hex: some.toString('hex') };
  }

  /** Bytes of an image. */
  source(setId: string, partition: string): ByteSource {
    return this.sourceOf(this.larder.image(setId, partition));
  }

  private sourceOf(image: ImageRow): ByteSource {
    return remembered(this.sources, keyOf(image), () => imageSource(this.larder.shelf, image));
  }
}

const keyOf = ({ setId, partition }: ImageRow): string => `${setId} ${partition}`;

/** A value that is made when it is first asked for; only the last few are kept. */
function remembered<T>(kept: Map<string, T>, key: string, make: () => T): T {
  const value = kept.get(key) ?? make();
  kept.delete(key);
  kept.set(key, value);
  if (value instanceof Promise) value.catch(() => kept.delete(key));
  if (kept.size > keptImages) kept.delete(kept.keys().next().value!);
  return value;
}

/** The image itself, or what lies directly in it, where that is a file system. */
function treesOf(found: Inspection): string[] {
  if (isFileSystem(found.format)) return [''];
  if (found.format !== 'logical partitions') return [];
  return found.inner.filter(({ inspection: inner }) => isFileSystem(inner.format)).map(({ name }) => name);
}

async function partOf(source: ByteSource, part: string): Promise<LogicalPartition> {
  const { partitions } = await readLogicalPartitions(source);
  const found = partitions.find(({ name }) => name === part);
  if (!found) throw new Problem(404, `This image has no part called ${part}.`);
  return found;
}

/** Where a range of a logical partition lies; what lies nowhere is left out. */
function placesIn(extents: readonly LogicalExtent[], { offset, bytes }: ByteRange): ByteRange[] {
  const found: ByteRange[] = [];
  let start = 0;
  for (const extent of extents) {
    const [from, to] = [Math.max(offset, start), Math.min(offset + bytes, start + extent.bytes)];
    if (from < to && extent.target === 'linear')
      found.push({ offset: extent.startBytes + from - start, bytes: to - from });
    start += extent.bytes;
  }
  return found;
}
