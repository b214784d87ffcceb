import type { PuttingAppsStart } from '@keen-larder/contract/requests.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { armingText } from '@keen-larder/contract/armed.ts';
import { durationText } from '@keen-larder/core/bytes/units.ts';
import { listText, type RunSheet, type Step } from '@keen-larder/core/runsheet/run-sheets.ts';
import { Problem } from '../../problem.ts';
import { putData, putProgram, putState, putWhole, type PutApp } from './app-putting.ts';
import { filesNotReadable, filesOf } from '../imaging/archive-taking.ts';
import { requireClear } from '../engine/clear.ts';
import type { RunContext } from '../engine/run-context.ts';
import { PartFailure, RunFailure, type Run } from '../engine/run-engine.ts';
import { PhoneAtWork, type Attempt } from '../phone/phone-at-work.ts';

/**
 * Puts copies of apps onto a phone, one after the other; one that fails is as it was before and does not end the
 * batch.
 * @throws Problem 422 with the checks that stand in the way, or where it must be armed and is not
 */
export async function startPuttingApps(
  context: RunContext,
  serial: string,
  start: PuttingAppsStart,
): Promise<RunView> {
  const { appSheets, bench, engine, larder } = context;
  const sheet = await appSheets.putting(serial, start);
  requireClear(sheet, start.confirmed);
  requireArmed(sheet, serial, start.armedWith);
  const { nickname } = bench.view(serial);
  const count = start.copies.length;
  return engine.start(
    {
      kind: 'putting-apps',
      title: `Put ${count} ${count === 1 ? 'app' : 'apps'} back on ${nickname}`,
      serial,
      nickname,
      mode: 'system',
      link: bench.link(serial).kind,
      canPause: true,
      steps: sheet.steps,
    },
    async (run) => {
      requireClear(await appSheets.putting(serial, start), start.confirmed);
      const apps = new Map(
        start.copies.map(({ copyId, parts }) => {
          const copy = larder.copies.one(copyId);
          const put: PutApp = { copy, parts, copies: larder.copies, shelf: larder.shelf };
          return [copy.app.package, put];
        }),
      );
      return putAll(context, serial, sheet.steps, 0, apps, run);
    },
  );
}

/** @throws Problem 422 where data on the phone is replaced and nobody has typed what arms that */
export function requireArmed({ checks }: RunSheet, serial: string, armedWith: string | undefined): void {
  const replaces = checks.some(({ id }) => id === 'data-replaced');
  if (replaces && armedWith !== armingText(serial)) {
    throw new Problem(
      422,
      `Data on the phone is replaced: type ${armingText(serial)}, the end of its serial, first.`,
    );
  }
}

/**
 * Does the steps that put apps in place.
 * @param first index of the first step within the run's
 * @param apps by package; one that is missing was not copied, and is left out
 */
export async function putAll(
  context: RunContext,
  serial: string,
  steps: readonly Step[],
  first: number,
  apps: ReadonlyMap<string, PutApp>,
  run: Run,
): Promise<string> {
  const { bench, now, patience, startLimitMs } = context;
  const inMode = (mode: 'system' | 'recovery') =>
    new PhoneAtWork(bench, serial, mode, run, patience, 'The apps before it are in place');
  let phone = inMode('system');
  const beganAt = now();
  const failed = new Set<string>();
  const whole = new Set<string>();
  for (const [i, step] of steps.entries()) {
    if (step.kind === 'restart') {
      await run.step(first + i, async () => {
        await PhoneAtWork.restart(bench, serial, step.into!, run, startLimitMs);
        phone = inMode(step.into as 'system' | 'recovery');
        if (step.into === 'recovery') await openUserData(phone);
        return `it is in ${step.into} mode`;
      });
      continue;
    }
    const name = step.app!;
    await run
      .step(first + i, async (passed) => {
        const put = apps.get(name);
        if (!put) throw new PartFailure('Left out: it was not copied.');
        if (failed.has(name)) throw new PartFailure('Left out: a step before it failed.');
        const attempt = (given: Attempt) => doStep(step, given, put, passed, run);
        const said = await phone.insist({ what: step.text, attempt });
        whole.add(name);
        return said;
      })
      .catch((error: unknown) => {
        if (!(error instanceof PartFailure)) throw error;
        failed.add(name);
        run.leftSome();
      });
  }
  const done = [...whole].filter((name) => !failed.has(name)).length;
  return outcomeText(
    done,
    [...failed].map((name) => labelOf(name, apps)),
    now() - beganAt,
  );
}

function doStep(
  { kind }: Step,
  attempt: Attempt,
  put: PutApp,
  passed: (bytes: number) => void,
  run: Run,
): Promise<string> {
  switch (kind) {
    case 'install':
      return putProgram(attempt, put, passed);
    case 'put-data':
      return putData(attempt, put, passed);
    case 'set-state':
      return putState(attempt, put, run);
    default:
      return putWhole(attempt, put, passed, run);
  }
}

/** @throws RunFailure where recovery cannot write user data */
const openUserData = (phone: PhoneAtWork): Promise<void> =>
  phone.insist({
    what: 'Open user data',
    attempt: async ({ link }) => {
      const files = filesOf(link);
      if (!(await files.ready()) || !(await files.makeWritable())) throw new RunFailure(filesNotReadable);
    },
  });

const labelOf = (name: string, apps: ReadonlyMap<string, PutApp>) => apps.get(name)?.copy.app.label ?? name;

function outcomeText(done: number, failed: readonly string[], elapsedMs: number): string {
  const kept = `${done === 1 ? 'One app is' : `${done} apps are`} in place and proved, in ${durationText(elapsedMs)}.`;
  if (failed.length === 0) return kept;
  const [was, is] = failed.length === 1 ? ['was', 'is'] : ['were', 'are'];
  return `${listText(failed.slice(0, 5))} ${was} not put back and ${is} as before; each step says why. ${kept}`;
}
