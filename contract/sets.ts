import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { Condition } from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import type { Untraced } from '@keen-larder/core/larder/untraced.ts';
import type { Role } from '@keen-larder/core/phone/roles.ts';

/** One image of a set. */
export interface ImageView {
  readonly partition: string;
  readonly role: Role;
  readonly bytes: number;
  /** Lower-case hexadecimal, over the full bytes. */
  readonly sha256: string;
  readonly fileSystem: string | undefined;
  readonly usedBytes: number | undefined;
  /** What the last verification found wrong. */
  readonly damage: string | undefined;
  /** A partition's bytes, or a tar archive of files. */
  readonly kind: 'block' | 'archive';
  /** What was read, when that was not everything; both digests cover it alone. */
  readonly ranges: readonly ByteRange[] | undefined;
  /** What the phone did not give the same way twice, or not at all. */
  readonly unsettled: readonly ByteRange[] | undefined;
  /** How the phone proved it, as far as that is known. */
  readonly proof: ProofWay | undefined;
}

export interface SetView {
  readonly id: string;
  readonly label: string;
  readonly note: string;
  readonly serial: string;
  readonly nickname: string;
  readonly maker: string;
  readonly model: string;
  /** In which it was read, as far as that is known. */
  readonly mode: PhoneMode | undefined;
  readonly condition: Condition;
  readonly createdAt: number;
  readonly elapsedMs: number;
  readonly imageCount: number;
  /** As imaged: the sum of all images. */
  readonly bytes: number;
  /** What this set added to the shelf when it was taken. */
  readonly addedBytes: number;
  readonly verifiedAt: number | undefined;
  readonly damaged: boolean;
  /** Every image came out as the phone itself digests it. */
  readonly complete: boolean;
  /** It came as files, not from a phone. */
  readonly imported: boolean;
  /** It is of a model, not of one phone. */
  readonly firmware: boolean;
  /** SHA-256 over the set's SHA256SUMS file; the short checksum on its label. */
  readonly fingerprint: string;
  readonly binnedAt: number | undefined;
  readonly pinned: boolean;
  /** The operator who kept it, where one had signed in. */
  readonly by: string | undefined;
  /** Sizes by role, for the strip on the label. */
  readonly strip: readonly { readonly role: Role; readonly bytes: number }[];
}

/** What changed of the sets. */
export interface SetChanges {
  /** To ask from the next time. */
  readonly revision: number;
  /** All sets are told, not only those that changed. */
  readonly isWhole: boolean;
  readonly sets: readonly SetView[];
  /** Ids of those that are gone. */
  readonly removed: readonly string[];
}

/** What came of changing several sets. */
export interface SomeSetsChanged {
  readonly changed: readonly string[];
  /** Those that stay as they are, and why. */
  readonly refused: readonly { readonly label: string; readonly why: string }[];
}

export interface SetDetail extends SetView {
  readonly images: readonly ImageView[];
  /** Identity images that nothing read from its phone has the bytes of, and whose they are as far as that is known. */
  readonly untraced: readonly Untraced[];
}

export interface ShelfView {
  /** After so many days without being kept a phone is due. */
  readonly dueDays: number;
  readonly name: string;
  readonly path: string;
  readonly freeBytes: number;
  readonly totalBytes: number;
  /** Bytes of all packs. */
  readonly storedBytes: number;
  /** Of packs that were freed and lie aside for some days. */
  readonly freedBytes: number;
  /** Sum of all sets as imaged. */
  readonly imagedBytes: number;
  readonly setCount: number;
  /** Whether it is sealed, and unlocked. */
  readonly seal: 'none' | 'locked' | 'open';
  /** Why the shelf is not there, and what to do; undefined where it is. */
  readonly absence: string | undefined;
  /** Why nothing on it may be freed, in sentences. */
  readonly doubts: readonly string[];
}

/** Shared storage that was kept, in a set. */
export interface KeptShared {
  readonly setId: string;
  readonly label: string;
  readonly serial: string;
  readonly nickname: string;
  readonly createdAt: number;
  readonly bytes: number;
}
