import type { UnfinishedStatements } from '../database/unfinished.ts';
import type { RunEngine } from './engine/run-engine.ts';
import { restoringPlans } from './restoring/writing-journal.ts';

/** Why a set or a copy may not be removed for what runs do with it, in a sentence. */
export function otherUse(
  engine: Pick<RunEngine, 'uses'>,
  unfinished: UnfinishedStatements,
  id: string,
): string | undefined {
  const run = engine.uses(id);
  if (run) return `“${run.title}” works with it. Wait until that has ended.`;
  const left = [...restoringPlans(unfinished).values()].find(
    ({ setIds, begun }) => begun.length > 0 && setIds.includes(id),
  );
  return left && `A phone stands half written by it: “${left.title}” was broken off. Resume that first.`;
}
