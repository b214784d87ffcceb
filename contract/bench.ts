import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { PartitionFacts, PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';

/**
 * How a phone stands to the bench:
 * `here` answers; `restarting` was told to and is not back yet; `looping` comes and goes by itself or
 * stayed away far too long after a restart; `away` is known but not connected.
 */
export type Presence = 'here' | 'restarting' | 'looping' | 'away';

/** One phone as the bay rail shows it. */
export interface PhoneView {
  readonly serial: string;
  readonly nickname: string;
  readonly maker: string;
  readonly model: string;
  readonly presence: Presence;
  /** What was last known; present while `presence` is `here`. */
  readonly facts: PhoneFacts | undefined;
  /** What reaches it: `adb 127.0.0.1:5555`. */
  readonly link: string | undefined;
  readonly lastSeenAt: number;
  /** Since when it has not answered. */
  readonly goneAt: number | undefined;
  readonly expectedMode: PhoneMode | undefined;
  readonly newestSetAt: number | undefined;
  readonly setCount: number;
  /** Run under way on this phone. */
  readonly runId: string | undefined;
  /** Keys that lead into each mode on this model. */
  readonly keys: Readonly<Partial<Record<PhoneMode, string>>>;
}

/** What the larder has of a partition. */
export interface KeptView {
  readonly setId: string;
  readonly label: string;
  readonly at: number;
  readonly bytes: number;
  readonly sha256: string;
  /** What the digest covers, when that is not everything. */
  readonly ranges: readonly ByteRange[] | undefined;
}

/** What was last found when the partition itself was digested. */
export interface SinceView {
  readonly at: number;
  /** It differs from its newest image in the larder. */
  readonly changed: boolean;
}

export interface PartitionView extends PartitionFacts {
  readonly kept: KeptView | undefined;
  /** Undefined while it was never kept or never compared. */
  readonly since: SinceView | undefined;
  readonly neverWritten: boolean;
  /** The run that began to write it and did not prove it. */
  readonly halfWritten?: string | undefined;
}
