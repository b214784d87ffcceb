import type { OffsiteCopy } from '@keen-larder/contract/larder/offsite.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { BucketFailure, RunFailure } from '../../failures.ts';
import type { OffsiteManifest } from '../../offsite/bucket-state.ts';
import type { OffsiteCopies } from '../../offsite/offsite-copies.ts';
import type { RunContext } from '../engine/run-context.ts';

export type OffsiteContext = RunContext & { readonly offsite: OffsiteCopies };

const whereTo = { bucket: 'off-site', disk: 'onto the second disk' } as const;
const whereFrom = { bucket: 'off-site', disk: 'the second disk' } as const;
export const copyNames = { bucket: 'off-site copy', disk: 'copy on the second disk' } as const;

/**
 * Sends what a copy does not have of the larder.
 * @throws Problem 409 where there is no such copy, or it is locked; BucketFailure, SealFailure
 */
export async function startCopyingOffSite(
  { engine, larder, offsite: copies }: OffsiteContext,
  copy: OffsiteCopy,
): Promise<RunView> {
  const offsite = copies.of(copy);
  await larder.requireShelf();
  const missing = await offsite.missing();
  const bytes = offsite.opened.bytesToSend(missing);
  const count = `${missing.length} ${missing.length === 1 ? 'set or copy' : 'sets and copies'}`;
  return engine.start(
    {
      kind: 'copying-off-site',
      title: missing.length === 0 ? `Look over the ${copyNames[copy]}` : `Copy ${count} ${whereTo[copy]}`,
      steps: [{ text: 'Send what is not there yet', bytes }],
    },
    async (run) => {
      let left: readonly string[] = [];
      let words = `The ${copyNames[copy]} is as the larder is.`;
      await run.step(0, async (passed) => {
        const done = await asRun(() => offsite.send(missing, passed, run.signal));
        left = done.left;
        for (const each of left) run.log(each, 'error');
        if (done.sent > 0) words = `${count} sent, ${sizeText(done.sentBytes)} that were not there before.`;
        return done.sent === 0 ? 'nothing was missing' : `${sizeText(done.sentBytes)} sent`;
      });
      if (left.length > 0)
        throw new RunFailure(
          `${left.length} of them are damaged here and were not sent. The log names them.`,
        );
      return words;
    },
  );
}

/** As nobody asked for it: a run only where something is missing. @returns whether all of the larder is there now */
export async function goOnOffSite(app: OffsiteContext, copy: OffsiteCopy): Promise<boolean> {
  const offsite = app.offsite.of(copy);
  if (!(await offsite.look())) return false;
  if ((await offsite.missing()).length === 0) return offsite.tidy();
  const { id } = await startCopyingOffSite(app, copy);
  return (await app.engine.ended(id)).state === 'done';
}

/**
 * Brings sets and copies back from a copy, as far as the shelf does not have them.
 * @throws Problem 409, BucketFailure, SealFailure
 */
export async function startFetching(
  { engine, larder, offsite: copies }: OffsiteContext,
  copy: OffsiteCopy,
  wanted: readonly OffsiteManifest[],
): Promise<RunView> {
  const offsite = copies.of(copy);
  await larder.requireShelf();
  const { opened } = offsite;
  await opened.manifests();
  const things = await Promise.all(wanted.map((each) => opened.fetching.read(each)));
  return engine.start(
    {
      kind: 'fetching',
      title: `Fetch ${things.length === 1 ? things[0]!.name : `${things.length} sets and copies`} from ${whereFrom[copy]}`,
      steps: things.map((thing) => ({ text: `Fetch ${thing.name}`, bytes: opened.sizeOf(thing) })),
    },
    async (run) => {
      await larder.whileWriting(async () => {
        for (const [i, thing] of things.entries())
          await run.step(i, async (passed) => {
            const { fetching } = opened;
            const missing = fetching.missing(thing);
            await asRun(() => fetching.fetch(missing, passed, run.signal));
            await fetching.enter(thing);
            return missing.length === 0 ? 'all of it was here' : 'every chunk is as its name says';
          });
      });
      for (const { level, text } of await larder.reconcile()) run.log(text, level);
      for (const { kind, id } of things) if (kind === 'sets') copies.all.forEach((each) => each.notAlone(id));
      larder.changed();
      larder.copies.changed();
      return `${things.length === 1 ? 'It is' : `All ${things.length} are`} in the larder.`;
    },
  );
}

export async function asRun<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof BucketFailure)
      throw new RunFailure(`${error.message} What was carried before stays; it goes on from there.`, {
        cause: error,
      });
    throw error;
  }
}
