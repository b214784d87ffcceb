import type { RunView } from '@keen-larder/contract/runs.ts';
import { armingText } from '@keen-larder/core/runsheet/arming.ts';
import { Problem } from '../../failures.ts';
import type { Erasing } from '../../larder/erasing/erasing.ts';
import type { RunContext } from '../engine/run-context.ts';

/**
 * Removes everything of a phone. The run itself does not name it.
 * @throws Problem 404, 409 with what stands in the way, 422 where it is not armed
 */
export async function startErasing(
  { engine, larder, erasing }: RunContext & { readonly erasing: Erasing },
  serial: string,
  typed: string,
): Promise<RunView> {
  await larder.requireShelf();
  const steps = await erasing.steps(serial);
  const text = armingText(serial);
  if (typed !== text)
    throw new Problem(
      422,
      `This is not armed: type ${text}, the last four characters of the phone’s serial.`,
    );
  return engine.start(
    {
      kind: 'erasing',
      title: 'Erase everything of a phone',
      steps: steps.map((step) => ({ text: step.text, bytes: 0 })),
    },
    async (run) => {
      for (const [i, step] of steps.entries())
        await run.step(i, async () => {
          const result = await step.work();
          run.log(`${step.text}: ${result}.`);
          return result;
        });
      larder.changed();
      larder.copies.changed();
      return 'Nothing of it is kept any more but what other phones have as well. The steps say what went and what stays.';
    },
  );
}
