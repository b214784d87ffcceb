import { stopwatch } from '../../async/stopwatch.ts';
import type { RestoringStart } from '@keen-larder/contract/requests/restoring.ts';
import type { ProofView, RunView } from '@keen-larder/contract/runs.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { composeLabel, nextFreeLabel } from '@keen-larder/core/larder/label.ts';
import { effectsOf } from '@keen-larder/core/runsheet/effects.ts';
import { userDataMadeAs } from '@keen-larder/core/runsheet/tool-checks.ts';
import { archiveOf } from '@keen-larder/core/phone/archives.ts';
import { abilitiesOf, type PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { roleOf } from '@keen-larder/core/phone/roles.ts';
import type { Step } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { KindOfRun } from '../engine/kind-of-run.ts';
import { onPhone, startRun } from '../engine/start-run.ts';
import type { RunContext } from '../engine/run-context.ts';
import { ImageWriting } from './image-writing.ts';
import { startImaging } from '../imaging/imaging.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';
import { proofText, proveReturn, watchStart } from './return-proof.ts';
import { setActiveSlot } from './slots.ts';
import { WritingJournal, type RestoringPlan } from './writing-journal.ts';
import { Interruption, Problem, PhoneFailure } from '../../failures.ts';
import type { Run } from '../engine/live-run.ts';

const leftOver = 'What is written is proved, the rest is not begun or half written';

export const restoringKind: KindOfRun = {
  interrupted({ at, canResume }) {
    if (canResume)
      return `${at?.partition ?? 'The phone'} may be half written: resume it before starting the phone.`;
    return at?.partition
      ? `${at.partition} may be half written: put it back again before starting the phone.`
      : 'Look at its steps, then put back what is missing.';
  },
  // A phone that is half written stays known as such, and can be written to its end.
  cancelled: (at) =>
    at?.text.startsWith('Write')
      ? `Cancelled while ${at.partition} was written: it is half written. Resume the run, or put it back, before starting the phone.`
      : 'Cancelled.',
};

/** What no technician has to be asked about when something is kept before it is written over. */
const askedAlready = ['identity-left-out', 'live-file-system', 'battery', 'early-loader-left-out'];

/**
 * Puts images of the larder onto a phone; what would be lost is kept by a run before this one, when that is wanted.
 * @throws Problem 422 with the checks that stand in the way, or when the run is not armed
 */
export async function startRestoring(
  context: RunContext,
  serial: string,
  start: RestoringStart,
): Promise<RunView> {
  const { bench, larder } = context;
  let plan: RestoringPlan;
  return startRun(context, {
    sheet: () => context.restoringSheets.restoring(serial, start),
    confirmed: start.confirmed,
    seen: start.seen,
    arming: { serial, typed: start.armedWith },
    async plan({ steps }) {
      const setIds = [...new Set(start.puts.map(({ setId }) => setId))];
      const { nickname } = bench.view(serial);
      const count = start.puts.length;
      const of = setIds.length === 1 ? larder.detail(setIds[0]!).label : `${setIds.length} sets`;
      const title =
        count === 0
          ? `Make slot ${start.activate} of ${nickname} the one that starts`
          : `Put ${count} ${count === 1 ? 'image' : 'images'} back onto ${nickname}: ${of}`;
      const { mode } = bench.facts(serial);
      const writesAll = start.writeAll ?? false;
      plan = { kind: 'restoring', serial, setIds, mode, title, steps, writesAll, proved: [], begun: [] };
      if (start.keepFirst) await keepFirst(context, serial, start);
      return runPlanOf(context, plan);
    },
    work: (run, { steps }) =>
      carryOut(context, plan, steps, WritingJournal.begin(context.unfinished, run.id, plan), run),
  });
}

/**
 * Goes on with putting back from the first image that is not proved yet. The run was armed when it began.
 * @throws Problem 404 when the set is gone, 409 when the phone is not there, 422 with what is in the way now
 */
export async function resumeRestoring(
  context: RunContext,
  runId: string,
  plan: RestoringPlan,
): Promise<RunView> {
  const { serial } = plan;
  const puts = plan.steps.flatMap(({ kind, partition, source }) =>
    kind === 'write' && !plan.proved.includes(partition!) ? [{ ...source!, onto: partition! }] : [],
  );
  const steps = stepsLeft(plan);
  return startRun(context, {
    async sheet() {
      if (puts.length === 0) return { steps, checks: [] };
      const { checks } = await context.restoringSheets.restoring(serial, { puts, restartAfter: true });
      // What was confirmed stays so; what has come in the way since does not. The mode is seen to by the run,
      // and whether it starts was judged over what lay there before the first write.
      const seenTo = ['mode-cannot-write', 'boot-forecast'];
      return {
        steps,
        checks: checks.filter(({ severity, id }) => severity === 'stop' && !seenTo.includes(id)),
      };
    },
    confirmed: [],
    plan: () => runPlanOf(context, plan),
    work(run) {
      run.log('Goes on with what an earlier run has not proved.');
      const journal = WritingJournal.takeOver(context.unfinished, runId, run.id, plan);
      return carryOut(context, plan, steps, journal, run);
    },
  });
}

/** The run that images what is about to be overwritten; this one's queue holds the other back until it ended well. */
async function keepFirst(context: RunContext, serial: string, start: RestoringStart): Promise<void> {
  const { bench, larder, restoringSheets, now } = context;
  const { mode, root } = bench.facts(serial);
  // The sheet said that it cannot be kept first.
  if (start.puts.length === 0 || !abilitiesOf(mode, root).read) return;
  const picked = restoringSheets
    .unkept(serial, start, await bench.partitions(serial))
    .map(({ name }) => name);
  if (picked.length === 0) return;
  const { model, condition } = bench.facts(serial);
  const at = new Date(now());
  const label = nextFreeLabel(
    composeLabel({
      model,
      nickname: bench.view(serial).nickname,
      serial,
      condition,
      purpose: 'before putting back',
      at,
      utcOffsetMinutes: -at.getTimezoneOffset(),
    }),
    larder.labels(serial),
  );
  await startImaging(context, serial, { picked, label, confirmed: askedAlready });
}

/** Steps of a plan that are not proved yet. */
function stepsLeft({ steps, proved }: RestoringPlan): Step[] {
  const isDone = ({ kind, partition }: Step) =>
    kind === 'format'
      ? proved.some(archiveOf)
      : (kind === 'verify' || kind === 'write' || kind === 'prove') && proved.includes(partition!);
  return steps.filter((step) => !isDone(step));
}

function runPlanOf(context: RunContext, { title, serial, mode, setIds }: RestoringPlan) {
  const [setId, ...alsoReads] = setIds;
  return {
    kind: 'restoring',
    title,
    ...onPhone(context, serial),
    mode,
    ...(setId && { setId }),
    alsoReads,
    canPause: true,
  } as const;
}

/** Carries a plan out; one of which nothing has reached the phone leaves nothing to resume. */
async function carryOut(
  context: RunContext,
  plan: RestoringPlan,
  steps: readonly Step[],
  journal: WritingJournal,
  run: Run,
): Promise<string> {
  try {
    return await restore(context, plan, steps, journal, run);
  } catch (error) {
    if (journal.isUntouched && !(error instanceof Interruption)) journal.drop();
    throw error;
  }
}

async function restore(
  context: RunContext,
  plan: RestoringPlan,
  steps: readonly Step[],
  journal: WritingJournal,
  run: Run,
): Promise<string> {
  const { bench, larder, retryPolicy, startLimitMs } = context;
  const { serial, mode, setIds } = plan;
  const elapsedMs = stopwatch();
  const writing = new ImageWriting(context, journal, run, plan.writesAll);
  const done = { images: 0, bytes: 0 };
  const ends: string[] = [];
  if (bench.facts(serial).mode !== mode) await PhoneAtWork.restart(bench, serial, mode, run, startLimitMs);
  const phoneIn = (wanted: PhoneMode) => new PhoneAtWork(bench, serial, wanted, run, retryPolicy, leftOver);
  let phone = phoneIn(mode);
  const fileSystem = userDataMadeAs(bench.knownPartitions(serial));
  const last = steps.findLast(({ kind }) => kind === 'write' || kind === 'prove' || kind === 'activate');
  for (const [i, step] of steps.entries()) {
    run.signal.throwIfAborted();
    await run.step(i, async (passed) => {
      const { kind, partition, source } = step;
      switch (kind) {
        case 'verify':
          return run.withoutBytes(() => writing.verify(imageOf(source), serial, partition!, passed));
        case 'write':
          done.images++;
          done.bytes += step.bytes;
          if (archiveOf(partition!))
            return writing.unpackAndProve(
              phone,
              imageOf(source),
              archiveOf(partition!)!,
              effectsOf(step),
              passed,
            );
          return mode === 'bootloader'
            ? writing.flash(phone, imageOf(source), partition!, passed)
            : writing.writeAndProve(phone, imageOf(source), partition!, passed);
        case 'prove': {
          const words = await run.withoutBytes(() => writing.prove(phone, imageOf(source), partition!));
          passed(step.bytes);
          return words;
        }
        case 'format':
          return writing.format(phone, fileSystem);
        case 'clear':
          return run.withoutBytes(() => writing.clearCaches(phone));
        case 'activate':
          return setActiveSlot(phone, step.slot!);
        case 'restart':
          if (step.into === 'recovery') {
            await PhoneAtWork.restart(bench, serial, 'recovery', run, startLimitMs);
            phone = phoneIn('recovery');
          } else await bench.restart(serial, 'system');
          return undefined;
        case 'watch': {
          const words = await watchStart(context, serial, run);
          ends.push(`${words[0]!.toUpperCase()}${words.slice(1)} with ${buildOf(context, serial)}.`);
          return words;
        }
        case 'compare': {
          const words = await compared(context, plan, run);
          ends.push(words);
          return words;
        }
        default:
          throw new Error(`no restoring run does ${kind}`);
      }
    });
    if (step === last) journal.drop();
  }
  // It may have been proved before, up to the last partition.
  journal.drop();
  const elapsed = durationText(elapsedMs());
  const written = `${done.images} ${done.images === 1 ? 'image' : 'images'}, ${sizeText(done.bytes)} put back in ${elapsed}; every digest computed by the phone agrees.`;
  return [done.images > 0 || setIds.length > 0 ? written : 'The slot is switched.', ...ends].join(' ');

  function imageOf(source: Step['source']) {
    return larder.image(source!.setId, source!.partition);
  }
}

const buildOf = ({ bench }: RunContext, serial: string) =>
  bench.facts(serial).condition.build ?? 'an unknown build';

/** The proof of return. What was written is proved already; a phone that says no more does not undo that. */
async function compared(context: RunContext, plan: RestoringPlan, run: Run): Promise<string> {
  const { larder } = context;
  const writes = plan.steps.filter(({ kind }) => kind === 'write');
  const partitions = writes.map(({ partition, source, bytes }): ProofView['partitions'][number] => ({
    partition: partition!,
    bytes,
    sha256: larder.image(source!.setId, source!.partition).sha256.toString('hex'),
  }));
  const has = (role: string) => writes.some(({ partition }) => roleOf(partition!) === role);
  const slot = plan.steps.find(({ kind }) => kind === 'activate')?.slot;
  // What its system was taken from says what the phone should be now; of a slot, what it was with that slot.
  const main = writes.find(({ partition }) => roleOf(partition!) === 'system') ?? writes[0];
  const setId = main?.source?.setId ?? (slot && larder.ofSlot(plan.serial, slot)?.id);
  if (!setId) return 'The set to compare the phone with is gone.';
  const putBack = { system: has('system') || writes.length === 0, userData: has('user-data') };
  try {
    const { rows } = await proveReturn(context, plan.serial, setId, putBack, partitions, run);
    return proofText(rows);
  } catch (error) {
    if (!(error instanceof PhoneFailure || error instanceof Problem)) throw error;
    return `The phone could not be compared with the set: ${error.message}`;
  }
}
