import type { CopyView } from '@keen-larder/contract/copies.ts';
import type { MovingStart } from '@keen-larder/contract/requests/apps.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { listText, type Step } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { PutApp } from './app-putting.ts';
import type { RunContext } from '../engine/run-context.ts';
import { copyAll } from './copying.ts';
import { markOf } from '../engine/sheet-mark.ts';
import { onPhone, startRun } from '../engine/start-run.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';
import { putAll } from './putting-apps.ts';
import { PartFailure, Problem, RunFailure, asOnePart } from '../../failures.ts';
import { workOf } from '../phone/phone-access.ts';
import type { Run } from '../engine/live-run.ts';

/**
 * Moves apps from one phone to another: a run on each, of which the second waits for the first. Those that live
 * on one phone at a time are removed from the first once they are copied, and only then put onto the second.
 * @returns the run on the phone that they go to
 * @throws Problem 422 with the checks that stand in the way, 409 when a phone is at work already
 */
export async function startMoving(context: RunContext, serial: string, start: MovingStart): Promise<RunView> {
  const { appSheets, bench, engine, larder } = context;
  for (const each of [serial, start.to]) {
    if (engine.runOf(each))
      throw new Problem(409, `A run is under way on ${bench.view(each).nickname}. Wait for its end.`);
  }
  const [source, target] = [bench.view(serial).nickname, bench.view(start.to).nickname];
  const apps = start.apps.length === 1 ? 'one app' : `${start.apps.length} apps`;
  const keptBefore = new Set(larder.copies.of(serial).map(({ id }) => id));
  let onTarget: readonly Step[] = [];
  const first = await startRun(context, {
    async sheet() {
      const { onSource, onTarget: then, ...sheet } = await appSheets.moving(serial, start);
      onTarget = then;
      // What was read told of both phones.
      return { ...sheet, mark: markOf(sheet), steps: onSource };
    },
    confirmed: start.confirmed,
    seen: start.seen,
    arming: { serial: start.to, typed: start.armedWith },
    writesShelf: true,
    plan: () => ({
      kind: 'copying',
      title: `Move ${apps} from ${source} to ${target}: copy`,
      ...onPhone(context, serial),
      canPause: true,
    }),
    async work(run, { steps }) {
      const copying = steps.filter(({ kind }) => kind === 'copy');
      const leaving = steps.filter(({ kind }) => kind === 'remove');
      const { outcome, failed } = await copyAll(context, serial, copying, start, run);
      const removed: string[] = [];
      for (const [i, { app }] of leaving.entries()) {
        if (await remove(context, serial, app!, failed, copying.length + i, run)) removed.push(app!);
      }
      const labels = listText(removed.map((name) => labelOf(larder.copies.of(serial), name)));
      return removed.length > 0 ? `${outcome} Removed from this phone: ${labels}.` : outcome;
    },
  });
  const steps = onTarget;
  return engine.start(
    {
      kind: 'putting-apps',
      title: `Move ${apps} from ${source} to ${target}: put in place`,
      ...onPhone(context, start.to),
      canPause: true,
      steps,
    },
    async (run) => {
      const ended = await run.waiting(`Waiting for the copies from ${source}.`, () => engine.ended(first.id));
      if (ended.state !== 'done' && ended.state !== 'incomplete') {
        throw new RunFailure(
          `${source}: ${ended.outcome ?? 'its part did not end well'} Nothing was changed on ${target}.`,
        );
      }
      const stayed = new Set(ended.steps.filter(({ state }) => state === 'failed').map(({ app }) => app));
      const copies = new Map<string, PutApp>();
      for (const copy of larder.copies.of(serial)) {
        const { package: name } = copy.app;
        const picked = start.apps.find((each) => each.package === name);
        if (!picked || keptBefore.has(copy.id) || copies.has(name) || stayed.has(name)) continue;
        copies.set(name, { copy, parts: picked.parts, copies: larder.copies, shelf: larder.shelf });
      }
      const letGo = larder.bin.hold([...copies.values()].map(({ copy }) => copy.id));
      return putAll(context, start.to, steps, copies, run, start).finally(letGo);
    },
  );
}

const labelOf = (copies: readonly CopyView[], name: string) =>
  copies.find(({ app }) => app.package === name)?.app.label ?? name;

/** Removes an app from the phone that it leaves; one that was not copied stays. Resolves to whether it is gone. */
function remove(
  { bench, retryPolicy }: RunContext,
  serial: string,
  name: string,
  notCopied: ReadonlySet<string>,
  index: number,
  run: Run,
): Promise<boolean> {
  const phone = new PhoneAtWork(bench, serial, 'system', run, retryPolicy, 'The copies are kept');
  return run.part(index, () =>
    asOnePart(async () => {
      if (notCopied.has(name)) throw new PartFailure('Left there: it was not copied.');
      await phone.retry({
        what: 'Remove it',
        attempt: async ({ link }) => {
          const work = workOf(link);
          // A link that broke may have broken after it was done.
          if (await work.describe(name)) await work.uninstall(name);
        },
      });
      return 'removed; its copy is in the larder';
    }),
  );
}
