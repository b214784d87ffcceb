import { BucketFailure } from '../failures.ts';
import { parseAppCopy, parseRecordsCopy } from '../shelf/copy-manifest.ts';
import { distinctDigests, packChunkList, parseManifest } from '../shelf/manifest.ts';
import { packBytes, type PackedChunk } from '../shelf/packs/pack-format.ts';
import { PackWriter } from '../shelf/packs/pack-writer.ts';
import type { Shelf } from '../shelf/shelf.ts';
import { objectNames } from './bucket.ts';
import type { OffsiteManifest } from './bucket-state.ts';
import type { OffsitePacks } from './offsite-packs.ts';
import type { SealedBucket } from './sealed-bucket.ts';

/** What of the bucket is appended to a pack at once. */
const appendBytes = 8 << 20;

/** Something in the bucket, as its manifest tells of it. */
export interface OffsiteThing extends OffsiteManifest {
  /** As JSON. */
  readonly text: string;
  readonly name: string;
  readonly chunks: readonly Buffer[];
}

/** Brings what is off-site back onto the shelf: of each thing no more than the shelf does not have. */
export class Fetching {
  constructor(
    private readonly sealed: SealedBucket,
    private readonly packs: OffsitePacks,
    private readonly shelf: Shelf,
  ) {}

  /** @throws BucketFailure, SealFailure, Error where its manifest makes no sense */
  async read(manifest: OffsiteManifest): Promise<OffsiteThing> {
    const { bench, kind, id } = manifest;
    const text = (await this.sealed.get(objectNames.manifest(bench, kind, id))).toString();
    if (kind === 'sets') {
      const { label, images } = parseManifest(text);
      return { ...manifest, text, name: `“${label}”`, chunks: distinct(images) };
    }
    const { parts, phone } = kind === 'copies' ? parseAppCopy(text) : parseRecordsCopy(text);
    return { ...manifest, text, name: `A copy of ${phone.nickname}`, chunks: distinct(parts) };
  }

  /** Chunks that the shelf does not have, or not as they were. */
  missing({ chunks }: Pick<OffsiteThing, 'chunks'>): Buffer[] {
    return chunks.filter((digest) => !this.shelf.has(digest));
  }

  /**
   * Puts chunks onto the shelf; they count when this has resolved.
   * @throws BucketFailure where the bucket does not have one of them as it was
   */
  async fetch(
    digests: readonly Buffer[],
    passed: (bytes: number) => void = () => undefined,
    signal?: AbortSignal,
  ): Promise<void> {
    let pack: PackWriter | undefined;
    let batch: PackedChunk[] = [];
    let batchBytes = 0;
    const append = async () => {
      if (batch.length === 0) return;
      pack ??= await PackWriter.create(this.shelf.packFolder);
      await pack.append(batch.map((chunk) => this.shelf.seal.asStored(chunk)));
      [batch, batchBytes] = [[], 0];
      if (pack.size >= packBytes) await seal();
    };
    const seal = async () => {
      if (!pack) return;
      const bytes = await pack.seal(this.shelf.readBack);
      await this.shelf.register(pack.name, bytes, pack.records);
      pack = undefined;
    };
    try {
      for await (const chunk of this.packs.read(digests)) {
        signal?.throwIfAborted();
        batch.push(chunk);
        batchBytes += chunk.stored.length;
        passed(chunk.stored.length);
        if (batchBytes >= appendBytes) await append();
      }
      await append();
      await seal();
    } finally {
      await pack?.discard();
    }
    const lost = digests.find((digest) => !this.shelf.has(digest));
    if (lost) throw new BucketFailure(`${this.sealed.bucket.place} did not give all that is needed.`);
  }

  /** Writes a manifest onto the shelf, all of whose chunks are there. The catalogue learns of it when both are compared. */
  async enter({ kind, text }: OffsiteThing): Promise<void> {
    const { shelf } = this;
    if (kind === 'sets') await shelf.manifests.write(parseManifest(text));
    else if (kind === 'copies') await shelf.copies.write(parseAppCopy(text));
    else await shelf.records.write(parseRecordsCopy(text));
  }
}

const distinct = (lists: readonly { readonly chunks: readonly string[] }[]): Buffer[] =>
  distinctDigests(lists.map(({ chunks }) => packChunkList(chunks)));
