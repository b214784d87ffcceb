import { armingText } from '@keen-larder/contract/armed.ts';
import type { RestoringStart } from '@keen-larder/contract/requests.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { Step } from '@keen-larder/core/runsheet/index.ts';
import type { ImageRow } from '../database/sets.ts';
import { imageFiles } from '../larder/export.ts';
import type { Larder } from '../larder/larder.ts';
import { FlashFailure, type FlashingAccess } from '../links/phone-link.ts';
import { Problem } from '../problem.ts';
import { counted } from '../shelf/counted.ts';
import { wholeOf } from '../shelf/image-writer.ts';
import { DamagedImage, readImage } from '../shelf/image-reader.ts';
import { requireClear } from './clear.ts';
import type { RunContext } from './context.ts';
import { Interruption, RunFailure, type Run } from './engine.ts';
import { accessOf } from './partition-reading.ts';
import { PhoneAtWork, type Watch } from './phone-at-work.ts';
import { notReadable } from './proof.ts';
import { WritingJournal, type RestoringPlan } from './writing-journal.ts';
import { digestWhole, verifyImage } from './verify-image.ts';

/** An image is written so often before its phone is given up as one that does not keep what it is given. */
const writings = 3;
const leftOver = 'What is written is proved, the rest is not begun or half written';

/**
 * Puts images of a set back onto a phone.
 * @throws Problem 422 with the checks that stand in the way, or when the run is not armed
 */
export async function startRestoring(
  context: RunContext,
  setId: string,
  start: RestoringStart,
): Promise<RunView> {
  const { bench, larder, sheets } = context;
  const { serial } = start;
  const sheet = await sheets.restoring(setId, start);
  requireClear(sheet, start.confirmed);
  if (start.armedWith !== armingText(serial)) {
    throw new Problem(422, 'The run is not armed: type the last four characters of the phone’s serial.');
  }
  const set = larder.detail(setId);
  const { nickname } = bench.view(serial);
  const count = sheet.steps.filter(({ kind }) => kind === 'write').length;
  const plan: RestoringPlan = {
    kind: 'restoring',
    serial,
    setId,
    mode: bench.facts(serial).mode,
    title: `Put ${count} ${count === 1 ? 'image' : 'images'} back onto ${nickname}: ${set.label}`,
    steps: sheet.steps,
    proved: [],
    begun: [],
  };
  return begin(context, plan, (run) => WritingJournal.begin(context.unfinished, run.id, plan));
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
  const { serial, setId } = plan;
  const picked = plan.steps.flatMap(({ kind, partition }) =>
    kind === 'write' && !plan.proved.includes(partition!) ? [partition!] : [],
  );
  const sheet = await context.sheets.restoring(setId, { serial, picked, restartAfter: true });
  // What was confirmed stays so; what has come in the way since does not. The mode is seen to by the run.
  const stops = sheet.checks.filter(({ severity, id }) => severity === 'stop' && id !== 'mode-cannot-write');
  requireClear({ ...sheet, checks: stops }, []);
  return begin(context, plan, (run) => {
    run.log('Goes on with what an earlier run has not proved.');
    return WritingJournal.takeOver(context.unfinished, runId, run.id, plan);
  });
}

function begin(context: RunContext, plan: RestoringPlan, journalOf: (run: Run) => WritingJournal): RunView {
  const { bench, engine } = context;
  const { serial, proved } = plan;
  const isDone = ({ kind, partition }: Step) =>
    (kind === 'verify' || kind === 'write' || kind === 'prove') && proved.includes(partition!);
  const steps = plan.steps.filter((step) => !isDone(step));
  return engine.start(
    {
      kind: 'restoring',
      title: plan.title,
      serial,
      nickname: bench.view(serial).nickname,
      mode: plan.mode,
      setId: plan.setId,
      canPause: true,
      steps,
    },
    async (run) => {
      const journal = journalOf(run);
      try {
        return await restore(context, plan, steps, journal, run);
      } catch (error) {
        if (journal.isUntouched && !(error instanceof Interruption)) journal.drop();
        throw error;
      }
    },
  );
}

async function restore(
  context: RunContext,
  { serial, setId, mode }: RestoringPlan,
  steps: readonly Step[],
  journal: WritingJournal,
  run: Run,
): Promise<string> {
  const { bench, larder, now, patience, startLimitMs } = context;
  const startedAt = now();
  let written = 0;
  let bytes = 0;
  let started = '';
  if (bench.facts(serial).mode !== mode) await PhoneAtWork.restart(bench, serial, mode, run, startLimitMs);
  const phoneIn = (wanted: PhoneMode) => new PhoneAtWork(bench, serial, wanted, run, patience, leftOver);
  let phone = phoneIn(mode);
  const last = steps.findLast(({ kind }) => kind === 'write' || kind === 'prove');
  for (const [i, step] of steps.entries()) {
    run.signal.throwIfAborted();
    await run.step(i, async (passed) => {
      switch (step.kind) {
        case 'verify':
          return verify(context, setId, step.partition!, journal, run, passed);
        case 'write': {
          const image = larder.image(setId, step.partition!);
          written++;
          bytes += step.bytes;
          if (mode !== 'bootloader') return writeAndProve(context, phone, image, journal, run, passed);
          journal.writes(step.partition!);
          await writeOnce(context, phone, image, passed);
          return 'the bootloader took it';
        }
        case 'prove': {
          const proof = await prove(context, phone, larder.image(setId, step.partition!), run);
          if (!proof.agrees) throw new RunFailure(`${proof.words} ${half(step.partition!)}`);
          settle(context, phone, larder.image(setId, step.partition!), journal);
          passed(step.bytes);
          return proof.words;
        }
        case 'restart':
          if (step.into === 'recovery') {
            await PhoneAtWork.restart(bench, serial, 'recovery', run, startLimitMs);
            phone = phoneIn('recovery');
          } else await bench.restart(serial, 'system');
          return undefined;
        default:
          started = await watchStart(context, serial, setId, run);
          return started;
      }
    });
    if (step === last) journal.drop();
  }
  // It may have been proved before, up to the last partition.
  journal.drop();
  const elapsedMs = now() - startedAt;
  return `${written} ${written === 1 ? 'image' : 'images'}, ${sizeText(bytes)} put back in ${durationText(elapsedMs)}; every digest computed by the phone agrees.${started && ` ${started}`}`;
}

async function verify(
  { larder }: RunContext,
  setId: string,
  partition: string,
  journal: WritingJournal,
  run: Run,
  passed: (bytes: number) => void,
): Promise<string> {
  try {
    await verifyImage(larder.shelf, larder.image(setId, partition), run.signal, passed);
    return 'as it was kept';
  } catch (error) {
    if (!(error instanceof DamagedImage)) throw error;
    const written = journal.isUntouched ? 'Nothing was written.' : 'Nothing more was written.';
    throw new RunFailure(`${error.message} ${written} Use another set.`, { cause: error });
  }
}

/**
 * Writes one image, then has the phone itself compute what lies there now. What breaks off is written again
 * from its beginning; what does not come out as it was kept, a few times more.
 */
async function writeAndProve(
  context: RunContext,
  phone: PhoneAtWork,
  image: ImageRow,
  journal: WritingJournal,
  run: Run,
  passed: (bytes: number) => void,
): Promise<string> {
  const { partition } = image;
  journal.writes(partition);
  for (let writing = 1; ; writing++) {
    await writeOnce(context, phone, image, passed);
    const { agrees, words } = await prove(context, phone, image, run);
    if (agrees) {
      settle(context, phone, image, journal);
      return words;
    }
    if (writing === writings)
      throw new RunFailure(`${words} It was written ${writings} times. ${half(partition)}`);
    run.log(`${words} It is written again.`, 'warning');
    passed(-image.bytes);
  }
}

const half = (partition: string) =>
  `${partition} is half written. Try another cable and put it back again; if it stays so, the phone’s flash is worn.`;

/** Has the phone digest what an image was written to. */
async function prove(
  context: RunContext,
  phone: PhoneAtWork,
  image: ImageRow,
  run: Run,
): Promise<{ readonly agrees: boolean; readonly words: string }> {
  const { partition, bytes } = image;
  const kept = (await keptDigest(context, image, run)).toString('hex');
  const digest = await phone.insist({
    what: `Compare ${partition}`,
    attempt: ({ link, signal, watch }) => {
      watch.arm(bytes);
      return accessOf(link).digest(partition, wholeOf(bytes), signal).catch(notReadable);
    },
  });
  if (digest === undefined) {
    return { agrees: false, words: `The phone cannot read back what was written to ${partition}.` };
  }
  return digest === kept
    ? { agrees: true, words: `the phone computes the same SHA-256 ${kept}` }
    : {
        agrees: false,
        words: `The phone computes another digest of ${partition} (${digest}) than was kept (${kept}).`,
      };
}

/** Notes that a partition holds what was kept. */
function settle(
  { bench, digests, now }: RunContext,
  { serial }: PhoneAtWork,
  { partition, ranges, sha256 }: ImageRow,
  journal: WritingJournal,
): void {
  bench.forgetPartitions(serial);
  journal.proved(partition);
  if (ranges === null) digests.save({ serial, partition, sha256, at: now() });
}

/** SHA-256 of all that the image puts onto the partition, what was not read as zeros included. */
const keptDigest = async ({ larder }: RunContext, image: ImageRow, run: Run): Promise<Buffer> =>
  image.ranges === null ? image.sha256 : (await digestWhole(larder.shelf, image, run.signal)).sha256;

async function writeOnce(
  { larder, bench }: RunContext,
  phone: PhoneAtWork,
  image: ImageRow,
  passed: (bytes: number) => void,
): Promise<void> {
  const { partition } = image;
  let done = 0;
  const onPart = (bytes: number) => {
    done += bytes;
    passed(bytes);
  };
  const fromStart = () => {
    passed(-done);
    done = 0;
  };
  try {
    await phone.insist({
      what: `Write ${partition}`,
      attempt: ({ link, signal, watch }) => {
        fromStart();
        if (link.flashing) return flashImage(larder, image, link.flashing, watch, onPart, signal);
        const parts = watch.onto(counted(readImage(larder.shelf, image), onPart));
        return accessOf(link).write(partition, parts, signal);
      },
    });
  } catch (error) {
    if (error instanceof FlashFailure) {
      throw new RunFailure(
        `${error.message} ${partition} is half written: put it back again before starting the phone.`,
        { cause: error },
      );
    }
    throw error;
  } finally {
    bench.forgetPartitions(phone.serial);
  }
}

/** Hands an image to a bootloader: as it is when it fits into one download, otherwise in sparse pieces. */
async function flashImage(
  larder: Larder,
  image: ImageRow,
  flashing: FlashingAccess,
  watch: Watch,
  onPart: (bytes: number) => void,
  signal: AbortSignal,
): Promise<void> {
  const { partition, bytes } = image;
  const splitBytes = await flashing.maxDownloadBytes();
  const pieces = imageFiles(larder, image, { form: bytes > splitBytes ? 'sparse' : 'raw', splitBytes });
  // Holes of a sparse piece pass by without bytes of their own.
  const whole = pieces.reduce((sum, piece) => sum + piece.bytes, 0);
  let sent = 0;
  let told = 0;
  const onSent = (more: number) => {
    sent += more;
    const now = Math.floor((sent / whole) * bytes);
    onPart(now - told);
    told = now;
  };
  for (const piece of pieces) {
    const parts = watch.onto(counted(piece.open(), onSent));
    await flashing.flash(partition, { bytes: piece.bytes, parts }, signal);
  }
}

/** Waits for the system and compares what came up with what the set was taken from. */
async function watchStart(
  { bench, larder, startLimitMs }: RunContext,
  serial: string,
  setId: string,
  run: Run,
): Promise<string> {
  await bench.waitFor(serial, 'system', startLimitMs, run.signal);
  const before = larder.detail(setId).condition;
  const { condition } = bench.facts(serial);
  const build = condition.build ?? 'an unknown build';
  return before.fingerprint === condition.fingerprint
    ? `It started with the build it had: ${build}.`
    : `It started with ${build}; the set was taken from ${before.build ?? 'an unknown build'}.`;
}
