import type { RunView } from '@keen-larder/contract/runs.ts';
import { binDays } from '@keen-larder/core/larder/bin-time.ts';
import { Problem } from '../../failures.ts';
import type { Order } from '../../larder/upkeep/order.ts';
import type { RunContext } from '../engine/run-context.ts';

/**
 * Puts into the bin what the rules for keeping let go now, each set by a step of its own.
 * @returns undefined where they let nothing go
 */
export async function startOrdering({
  engine,
  larder,
  order,
}: RunContext & { readonly order: Order }): Promise<RunView | undefined> {
  await larder.requireShelf();
  const going = order.view().sets.filter(({ reasons }) => reasons.length === 0);
  if (going.length === 0) return undefined;
  const count = (n: number) => `${n} ${n === 1 ? 'set' : 'sets'}`;
  return engine.start(
    {
      kind: 'ordering',
      title: `Put ${count(going.length)} into the bin, by the rules for keeping`,
      steps: going.map(({ label, bytes }) => ({ text: `Let go of ${label}`, bytes })),
    },
    async (run) => {
      let gone = 0;
      for (const [i, { id, bytes }] of going.entries())
        await run.step(i, async (passed) => {
          try {
            await order.apply([id]);
          } catch (error) {
            // Pinned meanwhile, or gone by hand.
            if (!(error instanceof Problem)) throw error;
            run.log(error.message, 'warning');
            return 'stays';
          }
          passed(bytes);
          gone++;
          return `in the bin for ${binDays} days`;
        });
      return `${count(gone)} put into the bin. Within ${binDays} days each can be taken back there.`;
    },
  );
}
