/** Owners may erase a phone's data, change the seal and what is off-site, and say who works here. */
export const operatorRoles = ['technician', 'owner'] as const;
export type OperatorRole = (typeof operatorRoles)[number];

export interface OperatorView {
  readonly id: number;
  readonly name: string;
  readonly role: OperatorRole;
  readonly createdAt: number;
  /** Of the sessions that have not ended. */
  readonly lastSeenAt: number | undefined;
}

/** Whether somebody is asked who he is, and who he is. */
export interface SessionView {
  readonly asksWho: boolean;
  readonly me: Pick<OperatorView, 'id' | 'name' | 'role'> | undefined;
}

/** A line of the record, in words. */
export interface RecordLineView {
  readonly n: number;
  readonly at: number;
  /** Empty where nobody had signed in. */
  readonly who: string;
  readonly words: string;
  /** What it was done to, as far as it is still known; a page that shows it. */
  readonly on: { readonly text: string; readonly path: string | undefined } | undefined;
}

export interface RecordView {
  /** The newest first. */
  readonly lines: readonly RecordLineView[];
  readonly count: number;
  /** SHA-256 of the last line. */
  readonly head: string;
  /** The first line that does not follow from the one before it. */
  readonly brokenAt: number | undefined;
}
