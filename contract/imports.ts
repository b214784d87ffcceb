import type { PlannedCopy } from '@keen-larder/core/apps/import-plan.ts';
import type { PlannedImport } from '@keen-larder/core/larder/import-plan.ts';

/** Files that lie ready to be imported together: a folder, or one file. */
export interface ImportView {
  /** Its name in the watched folder. */
  readonly id: string;
  /** Copied there by a browser; removed once it is kept. */
  readonly isCopy: boolean;
  /** `arriving` while it still grows, `looking` while its files are opened. */
  readonly state: 'arriving' | 'looking' | 'ready';
  readonly bytes: number;
  readonly images: readonly PlannedImport[];
  /** Copies of apps. */
  readonly copies: readonly PlannedCopy[];
  /** What packages in it say of themselves, a sentence each. */
  readonly said: readonly string[];
  /** Files that a passphrase opens, which was not given yet. */
  readonly locked: readonly string[];
  /** What the list that came along says. */
  readonly suggested:
    | {
        readonly label: string;
        readonly note: string;
        readonly serial: string;
        readonly maker: string;
        readonly model: string;
        readonly nickname: string;
      }
    | undefined;
  /** Why nothing of it can be used. */
  readonly fault: string | undefined;
}

export interface ImportsView {
  /** Files put here are found by themselves. */
  readonly folder: string;
  readonly imports: readonly ImportView[];
}

/** What became of an uploaded file. */
export interface UploadedView {
  readonly bytes: number;
  /** Lower-case hexadecimal, as it arrived. */
  readonly sha256: string;
}
