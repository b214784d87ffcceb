import type { OffsiteCopy } from '@keen-larder/contract/larder/offsite.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { DamagedImage, Problem, RunFailure } from '../../failures.ts';
import { asRun, copyNames, type OffsiteContext } from './copying-off-site.ts';

/**
 * Moves sets into a copy: all of each is sent, and read back from there, before the larder lets it go.
 * @throws Problem 404, 409 where a set has to stay, or the copy is locked
 */
export async function startMoving(
  { engine, larder, offsite }: OffsiteContext,
  copy: OffsiteCopy,
  ids: readonly string[],
): Promise<RunView> {
  const to = offsite.of(copy);
  await larder.requireShelf();
  await to.missing();
  const sets = ids.map((id) => larder.detail(id));
  for (const { id, label, pinned, binnedAt, damaged } of sets) {
    const why =
      binnedAt !== undefined
        ? 'It lies in the bin: take it back first.'
        : pinned
          ? 'It is pinned: take the pin off first.'
          : damaged
            ? 'It is damaged: have it repaired first.'
            : larder.bin.whyInUse(id);
    if (why !== undefined) throw new Problem(409, `“${label}” stays. ${why}`);
  }
  const labels = sets.map(({ label }) => `“${label}”`);
  return engine.start(
    {
      kind: 'moving',
      title: `Move ${sets.length === 1 ? labels[0]! : `${sets.length} sets`} into the ${copyNames[copy]}`,
      steps: sets.map(({ id, label }) => ({
        text: `Send “${label}” and read it back`,
        bytes: to.opened.bytesToProve(id),
      })),
    },
    async (run) => {
      for (const [i, { id, label, serial, nickname, createdAt, bytes }] of sets.entries())
        await run.step(i, async (passed) => {
          await asRun(() => larder.bin.whileRead(id, () => to.prove(id, passed, run.signal))).catch(
            (error: unknown) => {
              if (!(error instanceof DamagedImage)) throw error;
              throw new RunFailure(`“${label}” stays. ${error.message}`, { cause: error });
            },
          );
          run.signal.throwIfAborted();
          // In this order: what is let go here has been told to stay there, and in the other copy as well.
          const having = offsite.inUse.filter((each) => each.hasSet(id));
          for (const each of having) each.willBeAlone({ id, label, serial, nickname, createdAt, bytes });
          try {
            await larder.remove([id]);
          } catch (error) {
            for (const each of having) each.notAlone(id);
            throw error;
          }
          return 'every chunk read back from there is as its name says; it lies there alone now';
        });
      return `${listText(labels)} ${sets.length === 1 ? 'lies' : 'lie'} in the ${copyNames[copy]} alone. What no other set needs leaves this disk in the days that follow.`;
    },
  );
}
