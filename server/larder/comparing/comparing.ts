import type {
  ComparedPartition,
  ComparedSet,
  FileComparison,
  PartitionDetail,
  SetComparison,
  TextComparison,
} from '@keen-larder/contract/comparing.ts';
import type { ImageView, SetView } from '@keen-larder/contract/sets.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { compareBlocks, type ChunkList } from '@keen-larder/core/larder/comparing/blocks.ts';
import { compareFacts } from '@keen-larder/core/larder/comparing/facts.ts';
import { comparePartitions } from '@keen-larder/core/larder/comparing/partitions.ts';
import type { ImageRow } from '../../database/sets.ts';
import { Problem, traitsOf } from '../../failures.ts';
import { unpackChunkList } from '../../shelf/manifest.ts';
import type { Inside } from '../inside/inside.ts';
import type { Larder } from '../larder.ts';
import { compareTrees, type ComparedTree } from './compare-trees.ts';
import { comparisonPage, type ComparedTreeFiles } from './comparison-page.ts';
import { compareTexts } from './compare-texts.ts';

/** The two sides of a comparison, by the ids of their sets. */
export interface Sides {
  readonly before: string;
  readonly after: string;
}

const stripParts = 120;
/** More ranges than these are not listed one by one. */
const mostRanges = 500;

/** Compares what is kept: by partition and block without reading it, by file as far as it must be read. */
export class Comparing {
  constructor(
    private readonly larder: Larder,
    private readonly inside: Inside,
  ) {}

  /** @throws Problem 404 */
  sets({ before, after }: Sides): SetComparison {
    const [a, b] = [this.larder.detail(before), this.larder.detail(after)];
    const compared = comparePartitions(a.images.map(asCompared), b.images.map(asCompared));
    const partitions = compared.map(({ partition, state, before: was, after: is }): ComparedPartition => {
      const blocks = state === 'differs' ? this.blocks({ before, after }, partition) : undefined;
      return {
        partition,
        role: (is ?? was!).role,
        state,
        before: was && sideOf(was),
        after: is && sideOf(is),
        differingBytes: blocks?.differingBytes,
        strip: blocks?.strip,
      };
    });
    return { before: setOf(a), after: setOf(b), partitions };
  }

  /** @throws Problem 404 */
  async partition(sides: Sides, partition: string): Promise<PartitionDetail> {
    const [a, b] = await Promise.all(
      [sides.before, sides.after].map((id) => this.inside.view(id, partition).catch(unlessUnreadable)),
    );
    const blocks = this.blocks(sides, partition);
    return {
      blocks: blocks && { ...blocks, ranges: blocks.ranges.slice(0, mostRanges) },
      facts: a && b ? compareFacts(a.inspection, b.inspection) : [],
      trees: a && b ? a.trees.filter((tree) => b.trees.includes(tree)) : [],
    };
  }

  /** @param part name of a tree within; empty for the image itself @throws Problem 404, FormatError */
  async files(sides: Sides, partition: string, part: string): Promise<FileComparison> {
    const [before, after] = await Promise.all([
      this.treeOf(sides.before, partition, part),
      this.treeOf(sides.after, partition, part),
    ]);
    return compareTrees(before, after);
  }

  /** All of it as a page of its own, files included. @throws Problem 404 */
  async page(sides: Sides): Promise<string> {
    const compared = this.sets(sides);
    const trees: ComparedTreeFiles[] = [];
    for (const { partition, state } of compared.partitions) {
      if (state !== 'differs') continue;
      for (const part of (await this.partition(sides, partition)).trees) {
        const files = await this.files(sides, partition, part).catch((error: unknown) => {
          if (!traitsOf(error).isExpected) throw error;
          return (error as Error).message;
        });
        trees.push({ partition, part, files });
      }
    }
    return comparisonPage(compared, trees);
  }

  /** One file that both have. @throws Problem 404 */
  async text(sides: Sides, partition: string, part: string, path: string): Promise<TextComparison> {
    const [before, after] = await Promise.all(
      [sides.before, sides.after].map(async (id) => (await this.inside.tree(id, partition, part)).open(path)),
    );
    return compareTexts(before!, after!);
  }

  private blocks({ before, after }: Sides, partition: string) {
    const [a, b] = [this.larder.image(before, partition), this.larder.image(after, partition)];
    if (a.kind === 'archive' || b.kind === 'archive' || a.chunkBytes !== b.chunkBytes) return undefined;
    return compareBlocks(chunkList(a), chunkList(b), stripParts);
  }

  private async treeOf(setId: string, partition: string, part: string): Promise<ComparedTree> {
    const image = this.larder.image(setId, partition);
    const [tree, toImage] = await Promise.all([
      this.inside.tree(setId, partition, part),
      this.inside.placesIn(setId, partition, part),
    ]);
    return { tree, toImage, image };
  }
}

const setOf = ({
  id,
  label,
  serial,
  nickname,
  createdAt,
  condition,
  imported,
  binnedAt,
}: SetView): ComparedSet => ({ id, label, serial, nickname, createdAt, condition, imported, binnedAt });

const asCompared = (image: ImageView) => ({ ...image, isPartial: image.ranges !== undefined });

const sideOf = ({ bytes, sha256, isPartial, kind }: ReturnType<typeof asCompared>) => ({
  bytes,
  sha256,
  isPartial,
  kind,
});

const chunkList = ({ bytes, chunkBytes, chunks }: ImageRow): ChunkList => ({
  bytes,
  chunkBytes,
  chunks: unpackChunkList(chunks),
});

/** What is of no format that is known can be compared by block all the same. @throws Problem */
function unlessUnreadable(error: unknown): undefined {
  if (error instanceof Problem || !(error instanceof FormatError)) throw error;
  return undefined;
}
