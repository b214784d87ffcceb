/** The larder may have two copies elsewhere: one in a bucket, one on another disk. */
export const offsiteCopies = ['bucket', 'disk'] as const;
export type OffsiteCopy = (typeof offsiteCopies)[number];

/** How both stand. */
export type OffsiteViews = Readonly<Record<OffsiteCopy, OffsiteView>>;

/** What is in one of them, and how it stands. */
export interface OffsiteView {
  readonly copy: OffsiteCopy;
  /** `off` where no bucket is set, `locked` until its passphrase is given. */
  readonly state: 'off' | 'locked' | 'open';
  /** In words: which bucket, where; or which folder. */
  readonly place: string | undefined;
  /** It is on a disk that is not plugged in. */
  readonly isAway: boolean;
  /** What this bench is called for others that share the bucket. */
  readonly benchName: string | undefined;
  /** Sets and copies of the larder. */
  readonly keptCount: number;
  /** Of these, how many the bucket had all of when it was looked at last. */
  readonly offsiteCount: number;
  /** When all of it was compared with the bucket last. */
  readonly comparedAt: number | undefined;
  /** Why the last try did not succeed. */
  readonly fault: string | undefined;
  /** Since when each set is off-site, by id. */
  readonly since: Readonly<Record<string, number>>;
  /** Sets that were moved there: the larder has them no more. */
  readonly alone: readonly AloneView[];
  /** Bytes a second at most; undefined for no limit. */
  readonly bytesPerSecond: number | undefined;
  /** Hours of the day between which it goes on by itself. */
  readonly hours: readonly [from: number, to: number] | undefined;
}

/** A set that lies in one of the copies alone, as it was when it was moved there. */
export interface AloneView {
  readonly copy: OffsiteCopy;
  /** Which kept it: this one. */
  readonly bench: string;
  readonly id: string;
  readonly label: string;
  readonly serial: string;
  readonly nickname: string;
  /** Milliseconds since 1970, as is `since`. */
  readonly createdAt: number;
  /** As imaged. */
  readonly bytes: number;
  readonly since: number;
}

/** The recovery key of a new seal. It is shown once. */
export interface OffsiteSetUp {
  readonly view: OffsiteView;
  readonly recoveryKey: string | undefined;
}

/** Something in the bucket that the larder does not have. */
export interface OffsiteThingView {
  readonly bench: string;
  readonly benchName: string;
  readonly kind: 'sets' | 'copies' | 'records';
  readonly id: string;
  readonly name: string;
  readonly serial: string;
  readonly nickname: string;
  readonly createdAt: number;
  readonly bytes: number;
}
