import type { RunLogLine } from '@keen-larder/contract/runs.ts';
import type { RunRow, RunStatements } from '../../database/runs.ts';
import type { Reserve } from '../../disk/reserve.ts';
import { isDiskFull } from '../../failures.ts';

/**
 * The runs and their logs in the catalogue. What a full or failing disk does not take is held in memory until it does: a run
 * comes to its end, and is told as it ended, whatever the disk does.
 */
export class RunLedger {
  private readonly unsaved = new Map<string, RunRow>();
  private readonly unsavedLines: { readonly runId: string; readonly line: RunLogLine }[] = [];

  constructor(
    private readonly statements: RunStatements,
    private readonly reserve: Pick<Reserve, 'release' | 'layUp'> = {
      release: () => false,
      layUp: () => undefined,
    },
    private readonly failed: (error: unknown) => void = () => undefined,
  ) {}

  save(row: RunRow): void {
    if (this.unsaved.size > 0) this.flush();
    if (this.write(() => this.statements.save(row))) this.unsaved.delete(row.id);
    else this.unsaved.set(row.id, row);
  }

  addLine(runId: string, line: RunLogLine): void {
    if (this.unsavedLines.length > 0) this.flush();
    if (this.unsaved.has(runId) || !this.write(() => this.statements.addLine(runId, line)))
      this.unsavedLines.push({ runId, line });
  }

  /** A run has ended: writes what could not be written before, and holds room back for the next. */
  settle(): void {
    this.flush();
    this.reserve.layUp();
  }

  private flush(): void {
    for (const [id, row] of this.unsaved) {
      if (!this.write(() => this.statements.save(row))) return;
      this.unsaved.delete(id);
    }
    for (let next = this.unsavedLines[0]; next; next = this.unsavedLines[0]) {
      const { runId, line } = next;
      if (!this.write(() => this.statements.addLine(runId, line))) return;
      this.unsavedLines.shift();
    }
  }

  ended(before: number): Pick<RunRow, 'id' | 'serial' | 'startedAt'>[] {
    return this.statements.ended(before);
  }

  /** With their logs. */
  remove(ids: readonly string[]): void {
    this.statements.remove(ids);
  }

  unfinished(): RunRow[] {
    return this.statements.unfinished();
  }

  recent(): RunRow[] {
    const saved = this.statements.recent();
    const known = new Set(saved.map(({ id }) => id));
    const only = [...this.unsaved.values()].filter(({ id }) => !known.has(id));
    return [...only, ...saved.map((row) => this.unsaved.get(row.id) ?? row)];
  }

  one(id: string): RunRow | undefined {
    return this.unsaved.get(id) ?? this.statements.one(id);
  }

  log(id: string): RunLogLine[] {
    const only = this.unsavedLines.filter(({ runId }) => runId === id).map(({ line }) => line);
    return [...this.statements.log(id), ...only];
  }

  lastSeq(id: string): number {
    return this.log(id).at(-1)?.seq ?? 0;
  }

  private write(statement: () => void): boolean {
    try {
      statement();
      return true;
    } catch (error) {
      if (isDiskFull(error) && this.reserve.release()) return this.write(statement);
      this.failed(error);
      return false;
    }
  }
}
