import { stopwatch } from '../../async/stopwatch.ts';
import type { CopiedApp, PartKind } from '@keen-larder/core/apps/copies.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { NewCopy, NewPart } from '../../larder/copies-of-a-kind.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import type { RunContext } from '../engine/run-context.ts';
import type { StepWork, Run } from '../engine/live-run.ts';
import { diskFullText, Interruption, isDiskFull, asOnePart, PhoneFailure } from '../../failures.ts';

/** One app of a batch, copied by the step of its place. */
export interface BatchApp {
  readonly package: string;
  readonly label: string;
}

/** Where copies come from: a phone, or what was kept of it at an earlier time. */
export type Origin = Pick<NewCopy<CopiedApp, PartKind>, 'phone' | 'origin'> & { readonly createdAt?: number };

/** What of one app is on the shelf. */
export interface TakenCopy {
  readonly facts: CopiedApp;
  readonly parts: readonly NewPart[];
  /** Of them, what was not read, since the shelf has it. */
  readonly sparedBytes?: number;
  /** What the step says behind the size. */
  readonly remark: string;
}

/**
 * Copies apps into the larder by the first steps of a run, an app a step. One that fails by itself is named, and does
 * not end the batch.
 * @returns what came of it, and the packages that were not copied
 */
export async function copyBatch(
  { larder, now }: RunContext,
  run: Run,
  from: Origin,
  apps: readonly BatchApp[],
  take: (index: number, set: SetWriter, passed: Parameters<StepWork>[0]) => Promise<TakenCopy>,
): Promise<{ readonly outcome: string; readonly failed: ReadonlySet<string> }> {
  const set = new SetWriter(larder.shelf);
  const elapsedMs = stopwatch();
  const failed: BatchApp[] = [];
  let copied = 0;
  let spared = 0;
  try {
    for (const [index, app] of apps.entries()) {
      const isDone = await run.part(index, async (passed, resize) => {
        run.signal.throwIfAborted();
        const before = set.addedBytes;
        const {
          facts,
          parts,
          remark,
          sparedBytes = 0,
        } = await asOnePart(() => take(index, set, passed), byItself);
        await set.seal();
        await larder.copies.add({
          createdAt: now(),
          ...from,
          addedBytes: set.addedBytes - before,
          by: run.operator,
          facts,
          parts,
        });
        larder.copies.changed();
        const bytes = parts.reduce((sum, { stored }) => sum + stored.bytes, 0);
        resize(bytes - sparedBytes);
        copied += bytes;
        spared += sparedBytes;
        const unread =
          sparedBytes > 0 ? `; ${sizeText(sparedBytes)} of programs are in the larder already` : '';
        return `${sizeText(bytes)}${remark}${unread}`;
      });
      if (!isDone) failed.push(app);
    }
  } catch (error) {
    if (isDiskFull(error))
      throw new Interruption(diskFullText('The copies before it are kept', 'copy the rest'), {
        cause: error,
      });
    throw error;
  } finally {
    await set.discard();
  }
  const done = apps.length - failed.length;
  const kept = `${done === 1 ? 'One app' : `${done} apps`} copied, ${sizeText(copied)} in ${durationText(elapsedMs())}; ${sizeText(set.addedBytes)} new on the shelf${spared > 0 ? `, ${sizeText(spared)} of programs were there and not read` : ''}.`;
  return {
    outcome: failed.length === 0 ? kept : `${failedText(failed)} ${kept}`,
    failed: new Set(failed.map((app) => app.package)),
  };
}

/** Of a failure that is one app's alone: the phone may do it when it is asked again. */
export const byItself = (error: Error): string =>
  error instanceof PhoneFailure ? `${error.message} Try it again by itself.` : error.message;

function failedText(failed: readonly BatchApp[]): string {
  const names = listText(failed.slice(0, 5).map(({ label }) => label));
  const count = failed.length === 1 ? 'One app was' : `${failed.length} apps were`;
  return `${count} not copied: ${names}. Each step says why.`;
}
