import {
  beforeFirst,
  lineDigest,
  lineOf,
  verifyRecord,
  type Soundness,
} from '@keen-larder/core/people/record.ts';
import type { RecordStatements } from '../database/people/record.ts';
import { actingName } from './acting.ts';

/** What was done, and by whom: a line each, which is never changed, chained to the one before it. */
export class ShopRecord {
  private verified: Soundness | undefined;

  constructor(
    private readonly rows: RecordStatements,
    private readonly now: () => number,
  ) {}

  /**
   * Adds a line, which is on the disk when this returns.
   * @param on a phone by its serial, which the record itself does not name
   */
  add(what: string, on: Readonly<Record<string, string>> = {}, who = actingName() ?? ''): void {
    const { serial, to, ...rest } = on;
    const last = this.rows.last();
    const entry = {
      ...{ n: (last?.n ?? 0) + 1, at: this.now(), who, what },
      on: {
        ...(serial !== undefined && { phone: this.rows.phoneRef(serial) }),
        ...(to !== undefined && { to: this.rows.phoneRef(to) }),
        ...rest,
      },
    };
    this.rows.add(entry.n, lineOf(entry, last ? lineDigest(last.line) : beforeFirst));
  }

  /** The newest first. */
  newest(before: number, most: number): string[] {
    return this.rows.newest(before, most);
  }

  /** Of a phone that was not erased. */
  serialOf(ref: number): string | undefined {
    return this.rows.serialOf(ref);
  }

  /** From the first on. */
  lines(): Iterable<string> {
    return this.rows.lines();
  }

  verify(): Soundness {
    return (this.verified = verifyRecord(this.rows.lines()));
  }

  /** What `verify` found last; lines were added since, perhaps. */
  lastVerified(): Soundness {
    return this.verified ?? this.verify();
  }
}
