import type { ComparedSet } from '@keen-larder/contract/comparing.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';

/** What a phone told of one partition when it was compared with an image of a set. */
export interface PhoneFinding {
  /** When it was asked, in milliseconds since 1970. */
  readonly at: number;
  /** By the digest of all that was read for the image. */
  readonly isSame: boolean;
  /** Where they differ, ascending, to the piece; undefined where the phone tells no digests of pieces. */
  readonly differing?: readonly ByteRange[] | undefined;
}

/** A phone as it is now, as the second side of a comparison with a set. */
export interface PhoneSide {
  readonly set: ComparedSet;
  readonly partitions: readonly PartitionFacts[];
  /** By partition, of what it was asked for and has not been written since. */
  readonly findings: ReadonlyMap<string, PhoneFinding>;
  /** Bytes of a partition, read over the cable as they are asked for. */
  source(partition: string): ByteSource;
}

/** What phones told, for as long as nothing of it can have changed. */
export class PhoneFindings {
  /** By the phone's list of partitions, which is another one once it came up anew or anything was written. */
  private readonly known = new WeakMap<readonly PartitionFacts[], Map<string, Map<string, PhoneFinding>>>();

  of(partitions: readonly PartitionFacts[], setId: string): ReadonlyMap<string, PhoneFinding> {
    return this.known.get(partitions)?.get(setId) ?? new Map<string, PhoneFinding>();
  }

  save(partitions: readonly PartitionFacts[], setId: string, partition: string, finding: PhoneFinding): void {
    const bySet = this.known.get(partitions) ?? new Map<string, Map<string, PhoneFinding>>();
    this.known.set(partitions, bySet);
    const found = bySet.get(setId) ?? new Map<string, PhoneFinding>();
    bySet.set(setId, found);
    found.set(partition, finding);
  }
}

const prefix = 'phone:';

/** The serial where the second side of a comparison is a phone; undefined where it is a set. */
export const phoneOf = (side: string): string | undefined =>
  side.startsWith(prefix) ? side.slice(prefix.length) : undefined;
