import type { Forecast } from '@keen-larder/core/boot/boot.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { Finding, Outcome } from '@keen-larder/core/rescue/rescue.ts';
import type { Role } from '@keen-larder/core/phone/roles.ts';
import type { Put } from './requests/restoring.ts';

/** A mode, whether the phone is in it, and what it is good for. */
export interface ReachView {
  readonly mode: PhoneMode;
  /** `here`: it answers in it now. `known`: it did before, able to write. `untried`: nobody knows. */
  readonly state: 'here' | 'known' | 'untried';
  readonly use: string;
  /** What to hold while it starts. */
  readonly keys: string | undefined;
  /** The mode writes partitions, as far as is known. */
  readonly canWrite: boolean;
}

export interface RepairView {
  readonly id: string;
  readonly title: string;
  readonly sentence: string;
  /** Where its images come from. */
  readonly label: string | undefined;
  readonly puts: readonly Put[];
  readonly images: readonly {
    readonly partition: string;
    readonly role: Role;
    readonly bytes: number;
  }[];
  readonly activate?: 'a' | 'b';
  readonly bytes: number;
  /** User data that is on the phone now is replaced. */
  readonly wipes: boolean;
  readonly outcome: Outcome;
  readonly forecast: Forecast | undefined;
  /** Of those that promise to mend, the one that changes least. */
  readonly isSmallest: boolean;
}

/** What is wrong with a phone, how it can be reached, and what would mend it. */
export interface RescueView {
  readonly serial: string;
  readonly findings: readonly Finding[];
  readonly reach: readonly ReachView[];
  readonly repairs: readonly RepairView[];
  /** Sets of this phone that are complete and not damaged, newest first. */
  readonly sets: readonly {
    readonly id: string;
    readonly label: string;
    readonly createdAt: number;
    readonly verifiedAt: number | undefined;
  }[];
}
