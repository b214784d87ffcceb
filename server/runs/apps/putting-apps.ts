import { stopwatch } from '../../async/stopwatch.ts';
import type { PuttingAppsStart } from '@keen-larder/contract/requests/apps.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { durationText } from '@keen-larder/core/bytes/units.ts';
import { listText, type Step } from '@keen-larder/core/runsheet/run-sheets.ts';
import { hasPart } from '@keen-larder/core/apps/copies.ts';
import { isInBackup } from '@keen-larder/core/formats/android-backup/eligibility.ts';
import { passwordOf } from './backing-up.ts';
import { handOver } from './handing-over.ts';
import { putData, putProgram, putState, putWhole, type PutApp } from './app-putting.ts';
import { proveAndroidIds, writeAndroidIds } from './home/android-ids.ts';
import { filesNotReadable } from '../imaging/archive-taking.ts';
import { onPhone, startRun } from '../engine/start-run.ts';
import type { RunContext } from '../engine/run-context.ts';
import { PhoneAtWork, type Attempt } from '../phone/phone-at-work.ts';
import { asOnePart, PartFailure, Problem, RunFailure } from '../../failures.ts';
import { filesOf } from '../phone/phone-access.ts';
import type { Run } from '../engine/live-run.ts';

/**
 * Puts copies of apps onto a phone, one after the other; one that fails is as it was before and does not end the
 * batch.
 * @throws Problem 422 with the checks that stand in the way, or where it must be armed and is not
 */
export function startPuttingApps(
  context: RunContext,
  serial: string,
  start: PuttingAppsStart,
): Promise<RunView> {
  const { appSheets, larder } = context;
  return startRun(context, {
    sheet: () => appSheets.putting(serial, start),
    confirmed: start.confirmed,
    seen: start.seen,
    arming: { serial, typed: start.armedWith },
    plan() {
      const phone = onPhone(context, serial);
      const apps = start.copies.length === 1 ? '1 app' : `${start.copies.length} apps`;
      return {
        kind: 'putting-apps',
        title: `Put ${apps} back on ${phone.nickname}`,
        alsoReads: start.copies.map(({ copyId }) => copyId),
        ...phone,
        canPause: true,
      };
    },
    work(run, { steps }) {
      const apps = new Map(
        start.copies.map(({ copyId, parts }) => {
          const copy = larder.copies.one(copyId);
          const put: PutApp = { copy, parts, copies: larder.copies, shelf: larder.shelf };
          return [copy.app.package, put];
        }),
      );
      return putAll(context, serial, steps, apps, run, start);
    },
  });
}

/**
 * Does the steps that put apps in place.
 * @param apps by package; one that is missing was not copied, and is left out
 */
export async function putAll(
  context: RunContext,
  serial: string,
  steps: readonly Step[],
  apps: ReadonlyMap<string, PutApp>,
  run: Run,
  how: Pick<PuttingAppsStart, 'user' | 'backupPassword'>,
): Promise<string> {
  const { bench, retryPolicy, startLimitMs } = context;
  const inMode = (mode: 'system' | 'recovery') =>
    new PhoneAtWork(bench, serial, mode, run, retryPolicy, 'The apps before it are in place', how.user);
  let phone = inMode('system');
  const elapsedMs = stopwatch();
  const failed = new Set<string>();
  const whole = new Set<string>();
  /** Handed over, and not given again as kept: the phone may have removed what they had. */
  const unsure = new Set<string>();
  for (const [i, step] of steps.entries()) {
    if (step.kind === 'restart') {
      await run.step(i, async () => {
        await PhoneAtWork.restart(bench, serial, step.into!, run, startLimitMs);
        phone = inMode(step.into as 'system' | 'recovery');
        if (step.into === 'recovery') await openUserData(phone);
        return `it is in ${step.into} mode`;
      });
      continue;
    }
    if (step.kind === 'hand-over') {
      await run.part(i, async (passed) => {
        const given = [...apps.values()].filter(
          ({ copy, parts }) =>
            !failed.has(copy.app.package) && parts.some((part) => isInBackup(part) && hasPart(copy, part)),
        );
        const names = given.map(({ copy }) => copy.app.package);
        try {
          if (given.length === 0) throw new PartFailure('Left out: the steps before it failed.');
          const said = await asOnePart(() => handOver(phone, run, given, passed, passwordOf(how)));
          for (const name of names) whole.add(name);
          return said;
        } catch (error) {
          for (const name of names) {
            failed.add(name);
            // Who signed an app is asked for before anything goes.
            if (!(error instanceof Problem)) unsure.add(name);
          }
          throw error instanceof Problem ? new PartFailure(error.message) : error;
        }
      });
      continue;
    }
    if (step.kind === 'set-ids' || step.kind === 'prove-ids') {
      const given = [...apps.values()].map(({ copy }) => copy.app).filter((app) => !failed.has(app.package));
      const work = step.kind === 'set-ids' ? writeAndroidIds : proveAndroidIds;
      const attempt = ({ link }: Attempt) => asOnePart(() => work(link, given));
      await run.part(i, () => phone.retry({ what: step.text, attempt }));
      continue;
    }
    const name = step.app!;
    const isDone = await run.part(i, async (passed) => {
      const put = apps.get(name);
      if (!put) throw new PartFailure('Left out: it was not copied.');
      if (failed.has(name)) throw new PartFailure('Left out: a step before it failed.');
      const attempt = (given: Attempt) => doStep(step, given, put, run);
      return phone.retry({ what: step.text, passed, attempt });
    });
    if (isDone) whole.add(name);
    else failed.add(name);
  }
  const done = [...whole].filter((name) => !failed.has(name)).length;
  const labelsOf = (names: Iterable<string>) => [...names].map((name) => labelOf(name, apps));
  const asBefore = [...failed].filter((name) => !unsure.has(name));
  return outcomeText(done, labelsOf(asBefore), labelsOf(unsure), elapsedMs());
}

function doStep({ kind }: Step, attempt: Attempt, put: PutApp, run: Run): Promise<string> {
  switch (kind) {
    case 'install':
      return putProgram(attempt, put);
    case 'put-data':
      return putData(attempt, put);
    case 'set-state':
      return putState(attempt, put, run);
    default:
      return putWhole(attempt, put, run);
  }
}

/** @throws RunFailure where recovery cannot write user data */
const openUserData = (phone: PhoneAtWork): Promise<void> =>
  phone.retry({
    what: 'Open user data',
    attempt: async ({ link }) => {
      const files = filesOf(link);
      if (!(await files.ready()) || !(await files.makeWritable())) throw new RunFailure(filesNotReadable);
    },
  });

const labelOf = (name: string, apps: ReadonlyMap<string, PutApp>) => apps.get(name)?.copy.app.label ?? name;

function outcomeText(
  done: number,
  asBefore: readonly string[],
  unsure: readonly string[],
  elapsedMs: number,
): string {
  const was = ({ length }: readonly string[]) => (length === 1 ? 'was' : 'were');
  const some = (labels: readonly string[]) => listText(labels.slice(0, 5));
  return [
    ...(asBefore.length > 0
      ? [
          `${some(asBefore)} ${was(asBefore)} not put back and ${asBefore.length === 1 ? 'is' : 'are'} as before; each step says why.`,
        ]
      : []),
    ...(unsure.length > 0
      ? [
          `${some(unsure)} ${was(unsure)} handed over and not given again as kept: what data the phone has of ${unsure.length === 1 ? 'it' : 'them'} now is not known.`,
        ]
      : []),
    `${done === 1 ? 'One app is' : `${done} apps are`} in place and proved, in ${durationText(elapsedMs)}.`,
  ].join(' ');
}
