import { armingText } from '@keen-larder/contract/armed.ts';
import type { RestoringStart } from '@keen-larder/contract/requests.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import type { Step } from '@keen-larder/core/runsheet/index.ts';
import { Problem } from '../problem.ts';
import { counted } from '../shelf/counted.ts';
import { wholeOf } from '../shelf/image-writer.ts';
import { DamagedImage, readImage } from '../shelf/image-reader.ts';
import { requireClear } from './clear.ts';
import type { RunContext } from './context.ts';
import { RunFailure, type Run } from './engine.ts';
import { digestWhole, verifyImage } from './verify-image.ts';

/**
 * Puts images of a set back onto a phone.
 * @throws Problem 422 with the checks that stand in the way, or when the run is not armed
 */
export async function startRestoring(
  context: RunContext,
  setId: string,
  start: RestoringStart,
): Promise<RunView> {
  const { bench, engine, larder, sheets } = context;
  const { serial } = start;
  const sheet = await sheets.restoring(setId, start);
  requireClear(sheet, start.confirmed);
  if (start.armedWith !== armingText(serial)) {
    throw new Problem(422, 'The run is not armed: type the last four characters of the phone’s serial.');
  }
  const set = larder.detail(setId);
  const { nickname } = bench.view(serial);
  const count = sheet.steps.filter(({ kind }) => kind === 'write').length;
  return engine.start(
    {
      kind: 'restoring',
      title: `Put ${count} ${count === 1 ? 'image' : 'images'} back onto ${nickname}: ${set.label}`,
      serial,
      nickname,
      mode: bench.facts(serial).mode,
      setId,
      steps: sheet.steps,
    },
    (run) => restore(context, serial, setId, sheet.steps, run),
  );
}

async function restore(
  context: RunContext,
  serial: string,
  setId: string,
  steps: readonly Step[],
  run: Run,
): Promise<string> {
  const { bench, now } = context;
  const startedAt = now();
  let written = 0;
  let bytes = 0;
  let started = '';
  for (const [i, step] of steps.entries()) {
    run.signal.throwIfAborted();
    await run.step(i, async (passed) => {
      switch (step.kind) {
        case 'verify':
          return verify(context, setId, step.partition!, run, passed);
        case 'write': {
          const proof = await write(context, serial, setId, step.partition!, run, passed);
          written++;
          bytes += step.bytes;
          return proof;
        }
        case 'restart':
          await bench.restart(serial, 'system');
          return undefined;
        default:
          started = await watchStart(context, serial, setId, run);
          return started;
      }
    });
  }
  const elapsedMs = now() - startedAt;
  return `${written} ${written === 1 ? 'image' : 'images'}, ${sizeText(bytes)} put back in ${durationText(elapsedMs)}; every digest computed by the phone agrees.${started && ` ${started}`}`;
}

async function verify(
  { larder }: RunContext,
  setId: string,
  partition: string,
  run: Run,
  passed: (bytes: number) => void,
): Promise<string> {
  try {
    await verifyImage(larder.shelf, larder.image(setId, partition), run.signal, passed);
    return 'as it was kept';
  } catch (error) {
    if (!(error instanceof DamagedImage)) throw error;
    throw new RunFailure(`${error.message} Nothing was written. Use another set.`, { cause: error });
  }
}

/** Writes one image, then has the phone itself compute what lies there now. */
async function write(
  { bench, larder, digests, now }: RunContext,
  serial: string,
  setId: string,
  partition: string,
  run: Run,
  passed: (bytes: number) => void,
): Promise<string> {
  const image = larder.image(setId, partition);
  const access = bench.access(serial);
  try {
    await access.write(partition, counted(readImage(larder.shelf, image), passed), run.signal);
  } catch (error) {
    if (run.signal.aborted) throw error;
    throw new RunFailure(
      `${(error as Error).message} ${partition} is half written: put it back again before starting the phone.`,
      { cause: error },
    );
  } finally {
    bench.forgetPartitions(serial);
  }
  const kept =
    image.ranges === null ? image.sha256 : (await digestWhole(larder.shelf, image, run.signal)).sha256;
  const digest = await access.digest(partition, wholeOf(image.bytes), run.signal);
  if (digest !== kept.toString('hex')) {
    throw new RunFailure(
      `The phone computes another digest of ${partition} (${digest}) than was kept (${kept.toString('hex')}). Check the cable and put it back again; if it stays so, its flash is worn.`,
    );
  }
  if (image.ranges === null) digests.save({ serial, partition, sha256: image.sha256, at: now() });
  return `the phone computes the same SHA-256 ${digest}`;
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
