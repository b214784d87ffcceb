import type { RunView } from '@keen-larder/contract/runs.ts';
import type { RunContext } from './engine/run-context.ts';
import { resumeImaging } from './imaging/imaging.ts';
import { resumeRestoring } from './restoring/restoring.ts';
import { restoringPlanOf } from './restoring/writing-journal.ts';
import { Problem } from '../failures.ts';

/**
 * Goes on with a run that did not come to its end.
 * @throws Problem 409 when nothing is left to go on with
 */
export async function resumeRun(context: RunContext, runId: string): Promise<RunView> {
  if (!context.engine.view(runId).canResume) {
    throw new Problem(409, 'Of this run nothing is left to go on with. Start it again.');
  }
  const plan = restoringPlanOf(context.unfinished.plan(runId));
  return plan ? resumeRestoring(context, runId, plan) : resumeImaging(context, runId);
}
