import { stopwatch } from '../../async/stopwatch.ts';
import { randomUUID } from 'node:crypto';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { alignRanges, fewerRanges, rangesBytes, type ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import { usedRangesOf } from '@keen-larder/core/formats/file-system/open.ts';
import type { Step } from '@keen-larder/core/runsheet/run-sheets.ts';
import { archiveOf } from '@keen-larder/core/phone/archives.ts';
import type { PartitionFacts } from '@keen-larder/core/phone/facts.ts';
import type { ImagingStart } from '@keen-larder/contract/requests/imaging.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { wholeOf } from '../../shelf/image-writer.ts';
import type { ManifestImage } from '../../shelf/manifest.ts';
import { unpackChunkList } from '../../shelf/manifest.ts';
import { chunkBytes } from '../../shelf/packs/pack-format.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import type { KindOfRun } from '../engine/kind-of-run.ts';
import { onPhone, startRun } from '../engine/start-run.ts';
import type { RunContext } from '../engine/run-context.ts';
import type { KnownPieces } from '../../shelf/piece-digests.ts';
import { takeArchive } from './archive-taking.ts';
import { archiveHead, headOf, outcomeText, resultText } from './image-heads.ts';
import { takeImage } from './image-taking.ts';
import { Journal, type UnfinishedPlan } from './imaging-journal.ts';
import { PhoneAtWork } from '../phone/phone-at-work.ts';
import { isComparedInPieces } from '@keen-larder/core/phone/piece-sizes.ts';
import { askWhetherUnchanged } from './again/unchanged.ts';
import {
  Interruption,
  isDiskFull,
  Problem,
  RunFailure,
  diskFullText,
  FlashFailure,
  ShelfFailure,
} from '../../failures.ts';
import { accessOf, rememberPace } from '../phone/phone-access.ts';
import type { Run } from '../engine/live-run.ts';

const readStep = 'read';
const leftOver = 'What was read is on the shelf';

export const imagingKind: KindOfRun = {
  interrupted: ({ canResume }) =>
    canResume
      ? 'What it had read is on the shelf: resume it.'
      : 'Nothing of it is in the larder. Start it again.',
  cancelled: () => 'Cancelled. Nothing of it is in the larder.',
  isGoneWhenCancelled: true,
};

/**
 * Images the picked partitions of a phone into a new set, or queues that behind the run under way on it.
 * @throws Problem 422 with the checks that stand in the way
 */
export async function startImaging(
  context: RunContext,
  serial: string,
  start: ImagingStart,
): Promise<RunView> {
  const label = start.label.trim();
  return startRun(context, {
    sheet: (reserved) => context.imagingSheets.imaging(serial, start, reserved),
    label: () => ({ phone: context.bench.view(serial), text: label }),
    confirmed: start.confirmed,
    seen: start.seen,
    writesShelf: true,
    plan({ steps }) {
      const phone = onPhone(context, serial);
      const count = steps.filter(({ kind }) => kind === readStep).length;
      return {
        kind: 'imaging',
        title: `Keep ${count} ${count === 1 ? 'image' : 'images'} of ${phone.nickname}: ${label}`,
        ...phone,
        mode: start.restartInto ?? phone.mode,
        canPause: true,
      };
    },
    async work(run, { steps }) {
      const journal = new Journal(context.unfinished, run.id);
      const [first] = steps;
      if (first?.kind === 'restart') {
        await run.step(0, () => restartFirst(context, serial, start, run));
      }
      const { condition, mode, maker, model } = context.bench.facts(serial);
      const plan: UnfinishedPlan = {
        serial,
        label,
        mode,
        condition,
        phone: { maker, model },
        startedAt: context.now(),
        elapsedMs: 0,
        ...(start.readAll && { readAll: true }),
        images: steps
          .filter(({ kind }) => kind === readStep)
          .map(({ partition, bytes }) => ({
            partition: partition!,
            bytes,
            ...(start.usedOnly?.includes(partition!) && { usedOnly: true }),
          })),
      };
      journal.plan(plan);
      return image(context, plan, steps, journal, run);
    },
  });
}

/**
 * Goes on with an imaging run that did not end, from what of it is on the shelf.
 * @throws Problem 409 when there is nothing to go on with, or the phone is not there in its mode
 */
export function resumeImaging(context: RunContext, runId: string): Promise<RunView> {
  const { bench, engine, unfinished } = context;
  const text = unfinished.plan(runId);
  const before = engine.view(runId);
  if (!text || !before.canResume)
    throw new Problem(409, 'Of this run nothing is left to go on with. Start it again.');
  const plan = JSON.parse(text) as UnfinishedPlan;
  const steps = plan.images.map(({ partition, bytes }): Step => ({
    kind: 'read',
    text: `Read ${partition}`,
    partition,
    bytes,
  }));
  return startRun(context, {
    // What was asked for is judged already; what has come in the way since is told by what it is about.
    sheet: () => Promise.resolve({ steps, checks: [] }),
    label: () => ({ phone: bench.view(plan.serial), text: plan.label }),
    confirmed: [],
    writesShelf: true,
    plan: () => ({
      kind: 'imaging',
      title: before.title,
      ...onPhone(context, plan.serial),
      mode: plan.mode,
      canPause: true,
    }),
    async work(run) {
      const journal = new Journal(unfinished, run.id);
      journal.takeOver(runId);
      run.log('Goes on from what an earlier run has put on the shelf.');
      await PhoneAtWork.restart(bench, plan.serial, plan.mode, run, context.startLimitMs);
      return image(context, plan, steps, journal, run);
    },
  });
}

async function restartFirst(
  { bench, startLimitMs }: RunContext,
  serial: string,
  { restartInto }: ImagingStart,
  run: Run,
): Promise<string> {
  await PhoneAtWork.restart(bench, serial, restartInto!, run, startLimitMs);
  return `it is in ${restartInto} mode`;
}

async function image(
  context: RunContext,
  plan: UnfinishedPlan,
  steps: readonly Step[],
  journal: Journal,
  run: Run,
): Promise<string> {
  const { bench, larder, digests, retryPolicy } = context;
  const { serial } = plan;
  const measured = stopwatch();
  const set = new SetWriter(larder.shelf, () => journal.checkpointSoon());
  const phone = new PhoneAtWork(bench, serial, plan.mode, run, retryPolicy, leftOver);
  const taking = { phone, set, shelf: larder.shelf, journal, run };
  const recalled = journal.recall();
  const images: ManifestImage[] = [];
  const pieces = new Map<string, KnownPieces>();
  /** Partitions that are kept as they were kept before, without having been read. */
  const unchanged = new Set<string>();
  try {
    for (const planned of plan.images) {
      const at = steps.findIndex(
        ({ kind, partition }) => kind === readStep && partition === planned.partition,
      );
      await run.step(at, async (passed, resize) => {
        const partition = await phone.retry({
          what: `Look at ${planned.partition}`,
          attempt: async () => partitionNow(await bench.imageable(serial), planned.partition),
        });
        const archive = archiveOf(partition.name);
        if (archive && partition.archive) {
          const taken = await takeArchive(taking, archive, partition.mount?.writable ?? false, passed);
          resize(taken.stored.bytes);
          const head = archiveHead(partition, taken);
          images.push({ ...head, chunks: unpackChunkList(taken.stored.chunks) });
          return `${taken.files} files, ${resultText(head)}`;
        }
        const ranges = await rangesToRead(phone, partition, planned.usedOnly ?? false, run);
        resize(rangesBytes(ranges));
        const before = recalled.get(partition.name);
        const took = stopwatch();
        const isWhole = rangesBytes(ranges) === partition.bytes;
        const mayBeLike = isWhole && !plan.readAll && isComparedInPieces(partition.bytes);
        const base = mayBeLike ? larder.newestWhole(serial, partition.name, partition.bytes) : undefined;
        const asked =
          isWhole && !plan.readAll && !before?.progress.taken
            ? await askWhetherUnchanged({ phone, larder, run }, partition)
            : undefined;
        if (asked?.unchanged) {
          resize(0);
          const { label, image } = asked.unchanged;
          const proof = asked.told?.by ?? 'sha256';
          const head = headOf(partition, { stored: image, ranges, unsettled: [], proof });
          images.push({ ...head, chunks: unpackChunkList(image.chunks) });
          unchanged.add(partition.name);
          rememberPace(context, serial, 'read', partition, took());
          return `unchanged since “${label}”, not read again: the phone computes the same ${proof === 'md5' ? 'MD5' : `SHA-256 ${head.sha256}`}`;
        }
        const known = { recalled: before, told: asked?.told, base };
        const taken = await takeImage(taking, partition, ranges, known, { passed, resize });
        const head = headOf(partition, taken);
        journal.finished(partition.name, head);
        if (taken.pieces) pieces.set(head.sha256, taken.pieces);
        if (base && !before?.progress.taken) rememberPace(context, serial, 'read', partition, took());
        images.push({ ...head, chunks: unpackChunkList(taken.stored.chunks) });
        return resultText(head);
      });
    }
    run.signal.throwIfAborted();
    await set.seal();
    await journal.checkpoint();
  } catch (error) {
    // What was read stays for a run that goes on, unless this one was cancelled.
    await set.seal().catch(() => undefined);
    await journal.checkpoint().catch(() => undefined);
    await set.discard();
    if (isDiskFull(error)) throw new Interruption(diskFullText(leftOver, 'resume the run'), { cause: error });
    if (error instanceof ShelfFailure)
      throw new Interruption(`${error.message} ${leftOver}: then resume the run.`, { cause: error });
    throw error;
  }
  const id = randomUUID();
  const elapsedMs = measured() + plan.elapsedMs;
  const { nickname } = bench.view(serial);
  const kept = await larder.add({
    id,
    label: plan.label,
    note: '',
    phone: { serial, ...plan.phone, nickname },
    mode: plan.mode,
    condition: plan.condition,
    createdAt: new Date(plan.startedAt).toISOString(),
    elapsedMs,
    addedBytes: set.addedBytes,
    ...(run.operator !== undefined && { by: run.operator }),
    images,
  });
  if (kept !== plan.label) run.log(`Another set has that name: this one is called “${kept}”.`, 'warning');
  journal.drop();
  for (const [sha256, known] of pieces) larder.pieces.remember(Buffer.from(sha256, 'hex'), known);
  for (const { partition, kind, sha256, ranges } of images) {
    if (!ranges && kind !== 'archive')
      digests.save({ serial, partition, sha256: Buffer.from(sha256, 'hex'), at: plan.startedAt });
  }
  const unsettled = images.filter((each) => each.unsettled);
  run.madeSet(id, unsettled.length === 0);
  return outcomeText(images, unchanged, elapsedMs, set.addedBytes);
}

/** @throws RunFailure when the phone has no such partition any more */
function partitionNow(partitions: readonly PartitionFacts[], name: string): PartitionFacts {
  const found = partitions.find((each) => each.name === name);
  if (!found) throw new RunFailure(`The phone has no partition called ${name} any more. Pick again.`);
  return found;
}

/** What one command of the phone may have to name. */
const mostRanges = 800;

/** Everything, or the chunks in which the partition's file system has blocks in use. */
async function rangesToRead(
  phone: PhoneAtWork,
  { name, bytes, mount }: PartitionFacts,
  usedOnly: boolean,
  run: Run,
): Promise<readonly ByteRange[]> {
  if (!usedOnly) return wholeOf(bytes);
  if (mount?.writable) {
    run.log(`${name} is mounted for writing: all of it is read.`, 'warning');
    return wholeOf(bytes);
  }
  try {
    const used = await phone.retry({
      what: `Look at the bitmaps of ${name}`,
      attempt: ({ link }) => usedRangesOf(accessOf(link).source(name, bytes)),
    });
    return fewerRanges(alignRanges(used, chunkBytes, bytes), mostRanges);
  } catch (error) {
    if (!(error instanceof FormatError || error instanceof FlashFailure)) throw error;
    run.log(`${name}: ${error.message.replace(/\.$/, '')}. All of it is read.`, 'warning');
    return wholeOf(bytes);
  }
}
