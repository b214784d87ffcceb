import type { Forecast, Slot } from '../../boot/boot.ts';
import type { PackageFacts } from '../../formats/package-metadata/package-metadata.ts';
import type { PartitionFacts, PhoneFacts } from '../../phone/facts.ts';
import type { Role } from '../../phone/roles.ts';
import type { Check } from '../check.ts';

/** The set that an image comes from. */
export interface SetFacts {
  readonly setId: string;
  readonly serial: string;
  /** It came as files: that it is of that phone is what somebody said. */
  readonly isImported?: boolean;
  /** It is of a model, not of one phone. */
  readonly isFirmware?: boolean;
  readonly maker: string;
  readonly model: string;
  /** Android version of the phone when it was taken. */
  readonly androidVersion?: string | undefined;
  /** What the package of firmware says that it came in. */
  readonly package?: PackageFacts | undefined;
  /** The phone's user data was encrypted. */
  readonly isEncrypted?: boolean | undefined;
  /** The phone has wiped its user data, and with it the key of what was encrypted, since the set was taken. */
  readonly keyIsGone?: boolean;
  /** Names of all its block images. */
  readonly partitions: readonly string[];
}

/**
 * Whose identity an image is, by what was read from phones: not by what somebody said when it came as files. `serials` are the
 * other phones that hold the same bytes.
 */
export type IdentityOrigin =
  | { readonly is: 'own' }
  | { readonly is: 'foreign'; readonly serials: readonly string[] }
  | { readonly is: 'unproved' };

/** One image that is to go onto a phone. */
export interface RestoringImage {
  /** Of which it is the image. */
  readonly partition: string;
  /** To which it goes. */
  readonly onto: string;
  /** Of the partition that it goes to. */
  readonly role: Role;
  readonly bytes: number;
  /** What the last verification found. */
  readonly damaged: boolean;
  /** Parts of it never came out of the phone as they were. */
  readonly isIncomplete?: boolean;
  /** An archive of files belongs to no partition. */
  readonly kind?: 'block' | 'archive';
  readonly set: SetFacts;
  /** Whose identity it is; left out of images that carry none. */
  readonly identity?: IdentityOrigin;
  /** The partition holds this very image already, as far as was found out. */
  readonly isThere?: boolean;
}

/** Rollback indexes at a location: what the plan would leave, and what the phone has now. */
export interface RollbackFacts {
  readonly location: number;
  readonly now: bigint;
  readonly after: bigint;
}

/** What is about to be overwritten and is not known to be kept. */
export interface KeepFirstFacts {
  readonly isWanted: boolean;
  readonly partitions: readonly { readonly name: string; readonly bytes: number }[];
  readonly freeBytes: number;
  readonly bytesPerSecond: number;
  /** The mode reads partitions. */
  readonly canRead: boolean;
}

/** Everything a restoring run sheet is computed from. */
export interface RestoringFacts {
  readonly phone: PhoneFacts;
  readonly partitions: readonly PartitionFacts[];
  /** What is to be put back. */
  readonly images: readonly RestoringImage[];
  /** The slot that is to be made the one that starts. */
  readonly activate?: Slot | undefined;
  /** This mode switches slots on `misc`, and the phone does not keep them there. */
  readonly slotsAreElsewhere?: boolean;
  /** A set of this phone says what it was when that slot started. */
  readonly knowsSlot?: boolean;
  /** The one that starts now; undefined where there are none, or nobody can tell. */
  readonly activeSlot?: Slot | undefined;
  /** When the phone's present user data was last kept, in words; undefined when never. */
  readonly userDataKept: string | undefined;
  readonly restartAfter: boolean;
  /** User data is made anew before files are put back. */
  readonly format?: boolean | undefined;
  /** How the phone starts as it is, and how after the plan; undefined where nobody can tell. */
  readonly forecast?: { readonly now: Forecast; readonly after: Forecast } | undefined;
  readonly rollback?: readonly RollbackFacts[];
  readonly keepFirst?: KeepFirstFacts | undefined;
  /** How long the images took to read, when they are of one set that came from a phone. */
  readonly imagingMs?: number | undefined;
  readonly bytesPerSecond: number;
  /** How fast partitions were last put back over this cable where only what differed was written; all of their bytes in a second. */
  readonly paces?: ReadonlyMap<string, number>;
}

export type RestoringCheck = (facts: RestoringFacts) => Check[];
