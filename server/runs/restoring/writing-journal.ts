import type { HalfWrittenView } from '@keen-larder/contract/runs.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { Step } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { UnfinishedStatements } from '../../database/unfinished.ts';

/** What putting back needs to go on later: what was planned, and how far it is proved. */
export interface RestoringPlan {
  readonly kind: 'restoring';
  readonly serial: string;
  readonly setIds: readonly string[];
  readonly mode: PhoneMode;
  readonly title: string;
  readonly steps: readonly Step[];
  /** Also what the phone has already is written. */
  readonly writesAll?: boolean;
  /** Partitions that hold what was kept, by the phone's own digest. */
  readonly proved: readonly string[];
  /** Partitions whose writing has begun and is not proved. */
  readonly begun: readonly string[];
}

/** Writes down how far a run has come in writing a phone, before and after each partition. */
export class WritingJournal {
  private constructor(
    private readonly statements: UnfinishedStatements,
    private readonly runId: string,
    private plan: RestoringPlan,
  ) {}

  static begin(statements: UnfinishedStatements, runId: string, plan: RestoringPlan): WritingJournal {
    statements.addSet(runId, JSON.stringify(plan));
    return new WritingJournal(statements, runId, plan);
  }

  static takeOver(
    statements: UnfinishedStatements,
    before: string,
    runId: string,
    plan: RestoringPlan,
  ): WritingJournal {
    statements.handOver(before, runId);
    return new WritingJournal(statements, runId, plan);
  }

  /** From now on a partition is half written. */
  writes(partition: string): void {
    const { begun } = this.plan;
    if (!begun.includes(partition)) this.save({ ...this.plan, begun: [...begun, partition] });
  }

  /** A partition holds what was kept: whoever had left it half written, it is whole now. */
  proved(partition: string): void {
    const without = (plan: RestoringPlan) => ({
      ...plan,
      begun: plan.begun.filter((each) => each !== partition),
    });
    this.save({ ...without(this.plan), proved: [...this.plan.proved, partition] });
    for (const [runId, plan] of restoringPlans(this.statements)) {
      if (runId === this.runId || plan.serial !== this.plan.serial || !plan.begun.includes(partition))
        continue;
      this.statements.saveSet(runId, JSON.stringify(without(plan)));
    }
  }

  /** Nothing of the plan has reached the phone. */
  get isUntouched(): boolean {
    return this.plan.proved.length === 0 && this.plan.begun.length === 0;
  }

  /** Nothing is left to go on with. */
  drop(): void {
    this.statements.drop(this.runId);
  }

  private save(plan: RestoringPlan): void {
    this.plan = plan;
    this.statements.saveSet(this.runId, JSON.stringify(plan));
  }
}

/** Plans of putting back that did not come to their end, by run. */
export function restoringPlans(statements: UnfinishedStatements): Map<string, RestoringPlan> {
  const found = new Map<string, RestoringPlan>();
  for (const runId of statements.runIds()) {
    const plan = restoringPlanOf(statements.plan(runId));
    if (plan) found.set(runId, plan);
  }
  return found;
}

/** What runs left half written, of all phones. */
export const allHalfWritten = (statements: UnfinishedStatements): HalfWrittenView[] =>
  [...restoringPlans(statements)].flatMap(([runId, { serial, begun }]) =>
    begun.length > 0 ? [{ serial, partitions: [...begun], runId }] : [],
  );

/** Partitions of a phone that a run left half written, with the run. */
export function halfWritten(statements: UnfinishedStatements, serial: string): Map<string, string> {
  const found = new Map<string, string>();
  for (const [runId, plan] of restoringPlans(statements)) {
    if (plan.serial !== serial) continue;
    for (const partition of plan.begun) found.set(partition, runId);
  }
  return found;
}

export function restoringPlanOf(text: string | undefined): RestoringPlan | undefined {
  const plan = text === undefined ? undefined : (JSON.parse(text) as { readonly kind?: string });
  return plan?.kind === 'restoring' ? (plan as RestoringPlan) : undefined;
}
