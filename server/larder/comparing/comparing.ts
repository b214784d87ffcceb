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
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { fineBytes } from '@keen-larder/core/phone/piece-sizes.ts';
import {
  compareApps,
  type AppDifference,
  type ComparedApp,
} from '@keen-larder/core/larder/comparing/apps.ts';
import {
  blocksOf,
  compareBlocks,
  type BlockComparison,
  type ChunkList,
} from '@keen-larder/core/larder/comparing/blocks.ts';
import { compareFacts } from '@keen-larder/core/larder/comparing/facts.ts';
import { comparePartitions, type PartitionState } from '@keen-larder/core/larder/comparing/partitions.ts';
import type { ImageRow } from '../../database/sets.ts';
import { Problem, traitsOf } from '../../failures.ts';
import { unpackChunkList } from '../../shelf/manifest.ts';
import { findApps, type FoundApp } from '../inside/apps-inside.ts';
import type { Inside } from '../inside/inside.ts';
import { fromFileSystem, openUserData } from '../inside/user-data.ts';
import type { Larder } from '../larder.ts';
import { compareTrees, entriesThatDiffer, type ComparedTree, type PhoneTree } from './compare-trees.ts';
import { phoneOf, type PhoneSide } from './phone-side.ts';
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
  private readonly underWay = new Map<string, ReturnType<typeof entriesThatDiffer>>();

  /** @param phoneSide a phone, to be compared with a set */
  constructor(
    private readonly larder: Larder,
    private readonly inside: Inside,
    private readonly phoneSide?: (serial: string, setId: string) => Promise<PhoneSide>,
  ) {}

  /** @throws Problem 404, 409 where a phone does not answer */
  async sets(sides: Sides): Promise<SetComparison> {
    const phone = await this.phoneOf(sides);
    return phone ? this.withPhone(sides.before, phone) : this.twoSets(sides);
  }

  private twoSets({ before, after }: Sides): SetComparison {
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

  /** What of a set a phone has otherwise, as far as it was asked; what else the phone has is left out. */
  private withPhone(setId: string, phone: PhoneSide): SetComparison {
    const set = this.larder.detail(setId);
    const partitions = set.images.map((image): ComparedPartition => {
      const { partition, role } = image;
      const there = phone.partitions.find(({ name }) => name === partition);
      const finding = phone.findings.get(partition);
      const state: PartitionState = !there
        ? 'only before'
        : !finding
          ? 'unknown'
          : finding.isSame
            ? 'same'
            : 'differs';
      const blocks = there && this.phoneBlocks(setId, partition, phone);
      return {
        ...{ partition, role, state, before: sideOf(asCompared(image)) },
        after: there && { bytes: there.bytes, sha256: '', isPartial: false, kind: image.kind },
        differingBytes: blocks?.differingBytes,
        strip: blocks?.strip,
      };
    });
    return { before: setOf(set), after: phone.set, partitions };
  }

  private phoneBlocks(setId: string, partition: string, phone: PhoneSide): BlockComparison | undefined {
    const differing = phone.findings.get(partition)?.differing;
    return differing && blocksOf(differing, this.larder.image(setId, partition).bytes, fineBytes, stripParts);
  }

  /** @throws Problem 404, 409 where a phone does not answer */
  async partition(sides: Sides, partition: string): Promise<PartitionDetail> {
    const phone = await this.phoneOf(sides);
    const source = phone?.source(partition);
    const [a, b] = await Promise.all([
      this.inside.view(sides.before, partition).catch(unlessUnreadable),
      source
        ? this.inside.viewOf(source).catch(unlessUnreadable)
        : this.inside.view(sides.after, partition).catch(unlessUnreadable),
    ]);
    const blocks = phone ? this.phoneBlocks(sides.before, partition, phone) : this.blocks(sides, partition);
    return {
      blocks: blocks && { ...blocks, ranges: blocks.ranges.slice(0, mostRanges) },
      facts: a && b ? compareFacts(a.inspection, b.inspection) : [],
      trees: a && b ? a.trees.filter((tree) => b.trees.includes(tree)) : [],
    };
  }

  /** @param part name of a tree within; empty for the image itself @throws Problem 404, FormatError */
  async files(sides: Sides, partition: string, part: string): Promise<FileComparison> {
    return compareTrees(await this.differing(sides, partition, part));
  }

  /**
   * Apps of two user datas: their versions, grants, and how much of their data differs.
   * @throws Problem 404, FormatError where one is no user data that can be read
   */
  async apps(sides: Sides, partition: string): Promise<AppDifference[]> {
    const phone = await this.phoneOf(sides);
    const { shelf } = this.larder;
    const source = phone?.source(partition);
    const was = await openUserData(shelf, this.larder.image(sides.before, partition));
    const is = source
      ? await fromFileSystem(source)
      : await openUserData(shelf, this.larder.image(sides.after, partition));
    const differing = (await this.differing(sides, partition, '')).map(({ path }) => path);
    const [a, b] = [await findApps(was), await findApps(is)];
    return compareApps(a.map(asComparedApp), b.map(asComparedApp), differing);
  }

  /** Files and apps are asked for at the same time: the trees of both sides are gone through once. */
  private differing(sides: Sides, partition: string, part: string): ReturnType<typeof entriesThatDiffer> {
    const key = JSON.stringify([sides, partition, part]);
    const known = this.underWay.get(key);
    if (known) return known;
    const found = this.trees(sides, partition, part).then(({ before, after }) =>
      entriesThatDiffer(before, after),
    );
    this.underWay.set(key, found);
    const forget = () => this.underWay.delete(key);
    found.then(forget, forget);
    return found;
  }

  private async trees(
    sides: Sides,
    partition: string,
    part: string,
  ): Promise<{ readonly before: ComparedTree; readonly after: ComparedTree | PhoneTree }> {
    const phone = await this.phoneOf(sides);
    const before = await this.treeOf(sides.before, partition, part);
    if (!phone) return { before, after: await this.treeOf(sides.after, partition, part) };
    // What is mounted for writing changes by itself: what was told of it before counts for nothing.
    const isInUse = phone.partitions.some(({ name, mount }) => name === partition && mount?.writable);
    const differing = isInUse ? undefined : phone.findings.get(partition)?.differing;
    // Where nothing differs nothing need be read over the cable.
    const isUntouched = (ranges: readonly ByteRange[]) =>
      differing !== undefined && ranges.every((range) => !differing.some((each) => overlap(each, range)));
    return { before, after: { ...(await this.inside.treeOf(phone.source(partition), part)), isUntouched } };
  }

  /** All of it as a page of its own, files included. @throws Problem 404 */
  async page(sides: Sides): Promise<string> {
    const compared = await this.sets(sides);
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
    const phone = await this.phoneOf(sides);
    const source = phone?.source(partition);
    const [before, after] = await Promise.all([
      this.inside.tree(sides.before, partition, part),
      source
        ? this.inside.treeOf(source, part).then(({ tree }) => tree)
        : this.inside.tree(sides.after, partition, part),
    ]);
    return compareTexts(await before.open(path), await after.open(path));
  }

  private async phoneOf({ before, after }: Sides): Promise<PhoneSide | undefined> {
    const serial = phoneOf(after);
    if (serial === undefined) return undefined;
    if (!this.phoneSide) throw new Problem(404, 'No phone can be asked here.');
    return this.phoneSide(serial, before);
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
    return { tree, toImage, image, source: this.inside.source(setId, partition) };
  }
}

const asComparedApp = ({ app, folders }: FoundApp): ComparedApp => ({
  package: app.package,
  label: app.label,
  versionCode: app.versionCode,
  versionName: app.versionName,
  // None of any means that it is not told.
  granted:
    app.permissions.length > 0
      ? new Set(app.permissions.flatMap(({ name, granted }) => (granted ? [name] : [])))
      : undefined,
  folders: folders.map(({ path }) => path),
});

const overlap = (a: ByteRange, b: ByteRange): boolean =>
  a.offset < b.offset + b.bytes && b.offset < a.offset + a.bytes;

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
