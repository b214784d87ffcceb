import type { RunView } from '@keen-larder/contract/runs.ts';
import type { NamedPhone } from '@keen-larder/core/phone/facts.ts';
import { armingText, mustArm } from '@keen-larder/core/runsheet/arming.ts';
import { obstacles, type RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { Problem } from '../../failures.ts';
import { markOf } from './sheet-mark.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';
import type { Run, RunPlan } from './live-run.ts';
import type { RunContext } from './run-context.ts';

/** What of a run sheet a run is judged and carried out by. */
export type JudgedSheet = Pick<RunSheet, 'steps' | 'checks' | 'mark'>;

export interface RunStart<Sheet extends JudgedSheet> {
  /**
   * Computes the sheet from how things stand now; asked again when the run's turn comes.
   * @param reserved mark of the run's own label, once it is kept for it
   */
  sheet(reserved?: symbol): Promise<Sheet>;
  /** Ids of the checks that were ticked. */
  readonly confirmed: readonly string[];
  /** Mark of the sheet that was read; left out where none was. */
  readonly seen?: string | undefined;
  /** What was typed to arm the run, and the phone that it is for; left out where it is armed already. */
  readonly arming?: { readonly serial: string; readonly typed: string | undefined };
  /** What the run is, once nothing stands in its way. */
  plan(sheet: Sheet): Omit<RunPlan, 'steps'> | Promise<Omit<RunPlan, 'steps'>>;
  /** The label that its set is to have: it is kept for it until the run has ended. */
  label?(): { readonly phone: Pick<NamedPhone, 'serial' | 'nickname'>; readonly text: string };
  /** The run puts bytes on the shelf. */
  readonly writesShelf?: boolean;
  /** Carries the sheet out; resolves to what came of it, in words. */
  work(run: Run, sheet: Sheet): Promise<string>;
}

/**
 * The way in which every run with a sheet starts: computed, clear, armed, queued behind the run under way on its phone,
 * judged again when its turn comes, carried out.
 * @throws Problem 422 with the checks that stand in the way, or where it must be armed and is not; 409 where the sheet that
 * was read is no longer what would be done
 */
export async function startRun<Sheet extends JudgedSheet>(
  context: RunContext,
  { sheet: compute, confirmed, seen, arming, plan, label, writesShelf = false, work }: RunStart<Sheet>,
): Promise<RunView> {
  const { engine, larder } = context;
  if (writesShelf) await larder.requireShelf();
  const sheet = await compute();
  requireClear(sheet, confirmed);
  const mark = sheet.mark ?? markOf(sheet);
  if (seen !== undefined && seen !== mark)
    throw new Problem(
      409,
      'What would be done has changed since the run sheet was read. Read it again, then start.',
    );
  if (arming) requireArmed(sheet, arming);
  const named = label?.();
  const reserved = named && larder.reserve(named.phone, named.text);
  try {
    const planned = await plan(sheet);
    const carryOut = async (run: Run) => {
      const judgeAnew = () => compute(reserved?.mark);
      const now = await whileHere(context, planned.serial, run, judgeAnew);
      requireClear(now, confirmed);
      if ((now.mark ?? markOf(now)) !== mark)
        throw new Problem(
          409,
          'What would be done has changed since this run was started. Nothing of it was begun: start it again.',
        );
      return work(run, sheet);
    };
    const view = engine.start({ ...planned, steps: sheet.steps }, (run) =>
      writesShelf ? larder.whileWriting(() => carryOut(run)) : carryOut(run),
    );
    void engine.ended(view.id).finally(() => reserved?.release());
    return view;
  } catch (error) {
    reserved?.release();
    throw error;
  }
}

/** Asks what the phone may have to be asked for, whatever happens to its cable. */
function whileHere<T>(
  { bench, retryPolicy }: RunContext,
  serial: string | undefined,
  run: Run,
  ask: () => Promise<T>,
): Promise<T> {
  if (serial === undefined) return ask();
  const { mode } = bench.facts(serial);
  const phone = new PhoneAtWork(bench, serial, mode, run, retryPolicy, 'Nothing of it was begun');
  return phone.retry({ what: 'Look at the phone', attempt: ask });
}

/** What the plan of a run on a phone says of it. @throws Problem 409 when it does not answer */
export function onPhone(
  { bench }: Pick<RunContext, 'bench'>,
  serial: string,
): Required<Pick<RunPlan, 'serial' | 'nickname' | 'mode' | 'link'>> {
  const { kind, mode } = bench.link(serial);
  return { serial, nickname: bench.view(serial).nickname, mode, link: kind };
}

/** @throws Problem 422 with the checks that stand in the way of a run */
export function requireClear(sheet: Pick<RunSheet, 'checks'>, confirmed: readonly string[]): void {
  const inTheWay = obstacles(sheet, confirmed);
  if (inTheWay.length === 0) return;
  const words = inTheWay.map(({ title, sentence }) => `${title}: ${sentence}`).join(' ');
  throw new Problem(422, words, inTheWay);
}

function requireArmed(sheet: JudgedSheet, { serial, typed }: NonNullable<RunStart<JudgedSheet>['arming']>) {
  const text = armingText(serial);
  if (typed === text || !mustArm(sheet)) return;
  throw new Problem(
    422,
    `The run is not armed: type ${text}, the last four characters of the phone’s serial.`,
  );
}
