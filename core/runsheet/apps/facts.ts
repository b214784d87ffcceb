import type { AppCopy, PartKind } from '../../apps/copies.ts';
import type { AppFacts } from '../../apps/facts.ts';
import type { PhoneUser } from '../../phone/users/users.ts';
import type { PhoneFacts } from '../../phone/facts.ts';

/** An app and what of it a run is to take or to put. */
export interface PickedParts {
  readonly package: string;
  readonly parts: readonly PartKind[];
}

/** How data reaches a phone whose system gives no root. */
export type ThroughWhat = 'recovery' | 'backup';

/** What the phone can tell besides its list of apps. */
export interface AppSurroundings {
  /** Free on user data, in bytes; undefined where it is not told. */
  readonly freeBytes: number | undefined;
  /** Android's API level. */
  readonly sdk: number | undefined;
}

/** Everything the sheet of copying apps is computed from. */
export interface CopyingFacts {
  readonly phone: PhoneFacts;
  /** Whose apps they are; undefined where the phone tells of nobody. */
  readonly user?: PhoneUser | undefined;
  readonly installed: readonly AppFacts[];
  readonly picked: readonly PickedParts[];
  /** Android's API level; undefined where it is not told. */
  readonly sdk: number | undefined;
  readonly shelf: { readonly freeBytes: number };
  readonly bytesPerSecond: number;
}

/** A copy and what of it goes back. */
export interface PickedCopy {
  readonly copy: AppCopy;
  readonly parts: readonly PartKind[];
}

/** Everything the sheet of putting apps back is computed from. */
export interface PuttingAppsFacts {
  readonly phone: PhoneFacts;
  /** To whom they go; undefined where the phone tells of nobody. */
  readonly user?: PhoneUser | undefined;
  readonly installed: readonly AppFacts[];
  /** Where they go to another user: what the owner has. */
  readonly ofOwner?: readonly AppFacts[] | undefined;
  readonly picked: readonly PickedCopy[];
  readonly surroundings: AppSurroundings;
  /** How data goes without root: in recovery, where that gives it, or as a backup that the phone takes back itself. */
  readonly through?: ThroughWhat | undefined;
  /** The phone that the apps are on now and are copied from first; left out where copies are put back. */
  readonly movesFrom?: string | undefined;
  /** The ids that Android gave them go back as well. */
  readonly withIds?: boolean | undefined;
  readonly bytesPerSecond: number;
}
