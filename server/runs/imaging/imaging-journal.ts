import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { Condition, PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { UnfinishedStatements } from '../../database/unfinished.ts';
import type { ImageProgress, ImageWriter } from '../../shelf/image-writer.ts';
import type { ManifestImage } from '../../shelf/manifest.ts';

/** What a run needs to go on later: what was asked for, and of what phone in what condition. */
export interface UnfinishedPlan {
  readonly serial: string;
  readonly label: string;
  readonly mode: PhoneMode;
  readonly condition: Condition;
  readonly phone: Pick<PhoneFacts, 'maker' | 'model'>;
  readonly startedAt: number;
  readonly elapsedMs: number;
  /** Also what has not changed since it was last kept. */
  readonly readAll?: boolean;
  readonly images: readonly PlannedImage[];
}

/** One image as it was planned; names of the partitions table stand in the phone's facts. */
export interface PlannedImage {
  readonly partition: string;
  readonly bytes: number;
  readonly usedOnly?: boolean;
}

/** A finished image without its chunks. */
export type ImageHead = Omit<ManifestImage, 'chunks'>;

/** What is on the shelf of an image of an earlier run. */
export interface Recalled {
  readonly ranges: readonly ByteRange[] | undefined;
  readonly progress: ImageProgress;
  /** When it was whole. */
  readonly image: ImageHead | undefined;
}

/** Writes down how far the images of a run are on the shelf for good. */
export class Journal {
  private readonly open = new Map<string, ImageWriter>();
  private order: Promise<unknown> = Promise.resolve();
  private failure: unknown;

  constructor(
    private readonly statements: UnfinishedStatements,
    private readonly runId: string,
  ) {}

  plan(plan: UnfinishedPlan): void {
    this.statements.addSet(this.runId, JSON.stringify(plan));
  }

  /** Takes over what an earlier run left. */
  takeOver(runId: string): void {
    this.statements.handOver(runId, this.runId);
  }

  /** What there is of each image. */
  recall(): Map<string, Recalled> {
    return new Map(
      this.statements.images(this.runId).map(({ partition, ranges, image }) => {
        const pieces = this.statements.chunks(this.runId, partition);
        return [
          partition,
          {
            ranges: ranges === null ? undefined : (JSON.parse(ranges) as ByteRange[]),
            image: image === null ? undefined : (JSON.parse(image) as ImageHead),
            progress: {
              taken: pieces.at(-1)?.taken ?? 0,
              chunks: Buffer.concat(pieces.map(({ chunks }) => chunks)),
            },
          },
        ];
      }),
    );
  }

  /** An image begins; what was written down of it before is forgotten. */
  begin(partition: string, ranges: readonly ByteRange[], writer: ImageWriter): void {
    this.statements.beginImage(this.runId, partition, JSON.stringify(ranges));
    this.open.set(partition, writer);
  }

  /** An image goes on from what is written down of it. */
  goOn(partition: string, writer: ImageWriter): void {
    this.open.set(partition, writer);
  }

  finished(partition: string, image: ImageHead): void {
    this.statements.finishImage(this.runId, partition, JSON.stringify(image));
  }

  /** An image whose chunks are all on the shelf for good is now another than was read at first. */
  replaced(partition: string, ranges: readonly ByteRange[], progress: ImageProgress): void {
    this.open.delete(partition);
    this.statements.beginImage(this.runId, partition, JSON.stringify(ranges));
    this.statements.addChunks(this.runId, partition, progress);
  }

  /** As `checkpoint`, for when nobody waits; what goes wrong is told by the next one. */
  checkpointSoon(): void {
    this.checkpoint().catch((error: unknown) => (this.failure ??= error));
  }

  /** Writes down what has come onto the shelf since the last time. */
  checkpoint(): Promise<void> {
    const written = this.order.then(async () => {
      if (this.failure) throw this.failure as Error;
      for (const [partition, writer] of this.open) {
        const progress = await writer.progress();
        if (progress) this.statements.addChunks(this.runId, partition, progress);
      }
    });
    this.order = written.catch(() => undefined);
    return written;
  }

  /** The set is whole, or will never be. */
  drop(): void {
    this.open.clear();
    this.statements.drop(this.runId);
  }
}
