import type { KeepRules } from '@keen-larder/core/larder/keep-rules.ts';
import type { OrderRhythm } from '@keen-larder/core/larder/order-schedule.ts';

/** What the rules say of a set. */
export interface OrderedSet {
  readonly id: string;
  readonly label: string;
  readonly serial: string;
  readonly nickname: string;
  readonly createdAt: number;
  /** As imaged. */
  readonly bytes: number;
  readonly pinned: boolean;
  /** Why it stays, each in a few words; where there is none it would go. */
  readonly reasons: readonly string[];
}

/** When the rules are carried out by themselves. */
export interface OrderSchedule {
  readonly rhythm: OrderRhythm;
  /** Milliseconds since 1970; undefined for never. */
  readonly nextAt: number | undefined;
}

export interface OrderView {
  readonly rules: KeepRules;
  /** Phones that have rules of their own. */
  readonly exceptions: readonly {
    readonly serial: string;
    readonly nickname: string;
    readonly rules: KeepRules;
  }[];
  /** Of all phones, the newest first; what is in the bin is left out. */
  readonly sets: readonly OrderedSet[];
}

/** How far what is stored has been read again. */
export interface ScrubView {
  /** Everything is to be read again within so many days. */
  readonly days: number;
  /** When what was not read for longest was read; undefined where nothing is stored. */
  readonly oldestAt: number | undefined;
  readonly dueBytes: number;
  readonly damagedChunks: number;
  /** What was found damaged, the newest first; not more than twenty. */
  readonly findings: readonly ScrubFinding[];
}

/** Damage that was found when the shelf was read again. */
export interface ScrubFinding {
  readonly at: number;
  readonly chunks: number;
  /** Sets that it hurt, as far as they are still kept. */
  readonly sets: readonly { readonly id: string; readonly label: string }[];
  readonly copyCount: number;
  /** When none of it was damaged any more: repaired from off-site, or imaged again. */
  readonly goodAt: number | undefined;
  /** Why it could not be repaired from off-site. */
  readonly fault: string | undefined;
}

/** What would come free on the shelf once the sets that would go have left the bin. */
export interface OrderRoom {
  readonly bytes: number;
}
