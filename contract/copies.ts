import type { TurnedOff } from '@keen-larder/core/apps/built-in.ts';
import type { AppChange, AppCopy, CopyPart } from '@keen-larder/core/apps/copies.ts';
import type { CarryAlongSheet, OfferedRecords } from '@keen-larder/core/apps/carry-along.ts';
import type { Leftover } from '@keen-larder/core/apps/leftovers.ts';
import type { FoundTracker } from '@keen-larder/core/apps/trackers.ts';
import type { CopiedRecords, RecordKindId, RecordsPartKind } from '@keen-larder/core/records/kinds.ts';
import type { Verdict } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { AppFacts } from '@keen-larder/core/apps/facts.ts';

export interface CopyPartView extends CopyPart {
  /** What the last reading found wrong. */
  readonly damage: string | undefined;
}

/** A copy of an app, with what tells it from others. */
export interface CopyView extends AppCopy {
  readonly nickname: string;
  readonly note: string;
  readonly parts: readonly CopyPartView[];
  readonly bytes: number;
  /** What it added to the shelf when it was taken. */
  readonly addedBytes: number;
  /** Where it came from: a phone, a kept image of one, or files. */
  readonly origin: 'phone' | 'image' | 'imported';
  readonly binnedAt: number | undefined;
  /** The operator who kept it, where one had signed in. */
  readonly by: string | undefined;
}

/** A copy of personal records. */
export interface RecordsView extends Omit<CopyView, 'app' | 'parts'> {
  readonly records: CopiedRecords;
  readonly parts: readonly (Omit<CopyPartView, 'kind'> & { readonly kind: RecordsPartKind })[];
}

/** What an archive for a recovery would be, and which records could go along. */
export interface CarryAlongOffer extends CarryAlongSheet {
  readonly offered: readonly OfferedRecords[];
}

/** Records of one kind on a phone, and what the larder has of them. */
export interface RecordsOnPhone {
  readonly kind: RecordKindId;
  readonly files: readonly string[];
  readonly bytes: number;
  /** How many; undefined where it cannot be told. */
  readonly count: number | undefined;
  /** What they lack, where content providers tell them and files do not. */
  readonly missing: string | undefined;
  /** Why they cannot be read. */
  readonly fault: string | undefined;
  /** Of any phone: this one's first, of each the newest first. */
  readonly copies: readonly RecordsView[];
}

/** What is in the code of an app. */
export interface AppCode {
  readonly classes: number;
  readonly trackers: readonly FoundTracker[];
}

/** Whether what changed of a phone's apps is copied by itself, once a day. */
export interface CopyRoutine {
  readonly isOn: boolean;
  /** When it was last gone through. */
  readonly at: number | undefined;
  /** What came of it, or why it was put off. */
  readonly said: string | undefined;
}

/** What of an app is on a phone that has it no more, and what the larder has of that. */
export interface LeftoverView extends Leftover {
  /** When it was kept last. */
  readonly keptAt: number | undefined;
}

/** An app within a kept image of user data. */
export interface AppInside {
  readonly package: string;
  readonly label: string;
  readonly versionName: string | undefined;
  readonly versionCode: number;
  readonly programBytes: number;
  readonly hasData: boolean;
}

/** What moving each app of a phone to another comes to. */
export interface MovingView {
  readonly from: string;
  readonly to: string;
  readonly apps: readonly (Verdict & {
    readonly versionName: string | undefined;
    readonly versionCode: number;
    readonly dataBytes: number | undefined;
    /** What the other phone has of it. */
    readonly there: { readonly versionName: string | undefined; readonly versionCode: number } | undefined;
  })[];
}

/** An app on the phone, in the larder, or both. */
export interface AppView {
  readonly package: string;
  readonly label: string;
  /** As it is on the phone; undefined where it is not. */
  readonly installed: AppFacts | undefined;
  /** Copies of this phone's, the newest first. */
  readonly copies: readonly CopyView[];
  readonly change: AppChange;
  /** Not to be shown among the others. */
  readonly isAside: boolean;
}

/** What is off on another phone of the same model. */
export interface TurnedOffView {
  readonly serial: string;
  readonly nickname: string;
  /** When its apps were last listed. */
  readonly at: number;
  readonly apps: readonly TurnedOff[];
}
