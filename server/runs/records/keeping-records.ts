import { stopwatch } from '../../async/stopwatch.ts';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import type { KeepingRecordsStart } from '@keen-larder/contract/requests/records.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import {
  recordKind,
  type CopiedRecords,
  type RecordKindId,
  type RecordsPartKind,
} from '@keen-larder/core/records/kinds.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { asOnePart, PhoneRefusal } from '../../failures.ts';
import type { NewPart } from '../../larder/copies-of-a-kind.ts';
import type { PhoneLink, ProviderAccess } from '../../links/phone-link.ts';
import { askProvider } from '../../records/provided-records.ts';
import { fetchRecords, findRecords, userDataRoot } from '../../records/phone-records.ts';
import { SetWriter } from '../../shelf/set-writer.ts';
import { byItself } from '../apps/app-batch.ts';
import type { Run } from '../engine/live-run.ts';
import type { RunContext } from '../engine/run-context.ts';
import { onPhone, startRun } from '../engine/start-run.ts';

import { someOf } from '@keen-larder/core/runsheet/run-sheets.ts';
import { filesOf } from '../phone/phone-access.ts';
import { PhoneAtWork, type Attempt } from '../phone/phone-at-work.ts';
import { undoExchange } from './records-exchange.ts';
import { stopWriters, titlesOf } from './records-on-phone.ts';

/**
 * Keeps personal records of a phone, each kind by itself.
 * @throws Problem 422 with the checks that stand in the way
 */
export function startKeepingRecords(
  context: RunContext,
  serial: string,
  start: KeepingRecordsStart,
): Promise<RunView> {
  return startRun(context, {
    sheet: () => context.recordSheets.keeping(serial, start),
    confirmed: start.confirmed,
    seen: start.seen,
    writesShelf: true,
    plan() {
      const phone = onPhone(context, serial);
      const title = `Keep personal records of ${phone.nickname}`;
      return { kind: 'keeping-records', title, ...phone, canPause: true };
    },
    async work(run, { steps }) {
      const elapsedMs = stopwatch();
      const kinds = steps.map(({ app }) => app as RecordKindId);
      const failed = await keepAll(context, serial, kinds, run);
      const done = kinds.length - failed.length;
      const kept = `${done === 1 ? 'One kind' : `${done} kinds`} of records kept in ${durationText(elapsedMs())}.`;
      return failed.length === 0 ? kept : `Not kept: ${titlesOf(failed)}; each step says why. ${kept}`;
    },
  });
}

/** Keeps kinds by the first steps of a run; resolves to those that could not be. */
export async function keepAll(
  context: RunContext,
  serial: string,
  kinds: readonly RecordKindId[],
  run: Run,
): Promise<RecordKindId[]> {
  const { bench, larder, retryPolicy } = context;
  const leftOver = 'What was kept before it is in the larder';
  const phone = new PhoneAtWork(bench, serial, 'system', run, retryPolicy, leftOver);
  const failed: RecordKindId[] = [];
  for (const [index, kind] of kinds.entries()) {
    const set = new SetWriter(larder.shelf);
    const keep = (passed: (bytes: number) => void) =>
      phone.retry({
        what: `Keep ${recordKind(kind).title}`,
        passed,
        attempt: (attempt) => keepOne({ context, serial, set, by: run.operator }, attempt, kind),
      });
    try {
      const isKept = await run.part(index, (passed) => asOnePart(() => keep(passed), byItself));
      if (!isKept) failed.push(kind);
    } finally {
      await set.discard();
    }
  }
  return failed;
}

/** One kind that is kept. */
interface Keeping {
  readonly context: RunContext;
  readonly serial: string;
  readonly set: SetWriter;
  /** In whose name. */
  readonly by: string | undefined;
}

async function keepOne(
  keeping: Keeping,
  { link, signal, passed }: Attempt,
  kind: RecordKindId,
): Promise<string> {
  const { context, set } = keeping;
  const { now } = context;
  if (link.providers) return keepProvided(keeping, link, link.providers, kind, signal);
  const files = filesOf(link);
  await stopWriters(link, kind);
  // Of an exchange that broke off, what was there before is what is the phone's.
  await undoExchange(link, kind);
  const [found] = await findRecords(files, [kind], signal);
  if (!found || found.files.length === 0) throw new PhoneRefusal('The phone has none.');
  const { contents, read } = await fetchRecords(files, found, now(), signal);
  const parts: NewPart<RecordsPartKind>[] = [];
  for (const { path } of found.files) {
    const writer = set.image(0);
    const held = contents.get(path);
    await writer.take(held ? onePiece(held) : files.content(`${userDataRoot}${path}`, signal), passed);
    parts.push({ name: path.slice(1), kind: 'raw', stored: await writer.finish() });
  }
  const digests = await files.digests(
    userDataRoot,
    parts.map(({ name }) => name),
    found.bytes,
    signal,
  );
  const wrong = parts.filter(({ name, stored }) => digests.get(name) !== stored.sha256.toString('hex'));
  if (wrong.length > 0)
    throw new PhoneRefusal(`${someOf(wrong.map(({ name }) => name))} changed while it was read.`);
  if (read.readable) {
    const writer = set.image(0);
    await writer.take(onePiece(Buffer.from(read.readable.text)));
    parts.push({ name: read.readable.name, kind: 'readable', stored: await writer.finish() });
  }
  await addCopy(keeping, link, { kind, count: read.count, files: found.files }, parts);
  const what = read.count === undefined ? '' : `${read.count} kept, `;
  return `${what}${sizeText(found.bytes)} in ${found.files.length} ${found.files.length === 1 ? 'file' : 'files'}, as the phone digests them`;
}

/** Keeps what a content provider tells, asked twice: what can be read, and not be put back. */
async function keepProvided(
  keeping: Keeping,
  link: PhoneLink,
  providers: ProviderAccess,
  kind: RecordKindId,
  signal: AbortSignal,
): Promise<string> {
  const { context, set } = keeping;
  const at = context.now();
  const { answer, read, missing } = await askProvider(providers, kind, at, signal);
  if (!read.readable) throw new PhoneRefusal(read.fault ?? 'The phone has none.');
  if ((await askProvider(providers, kind, at, signal)).answer !== answer)
    throw new PhoneRefusal('They changed while they were read.');
  const writer = set.image(0);
  await writer.take(onePiece(Buffer.from(read.readable.text)));
  const parts = [{ name: read.readable.name, kind: 'readable', stored: await writer.finish() } as const];
  await addCopy(keeping, link, { kind, count: read.count, files: [], missing }, parts);
  return `${read.count ?? 0} kept to be read, without ${missing}; asked a second time, the phone tells the same`;
}

async function addCopy(
  { context: { bench, larder, now }, serial, set, by }: Keeping,
  link: PhoneLink,
  records: Pick<CopiedRecords, 'kind' | 'count' | 'files' | 'missing'>,
  parts: readonly NewPart<RecordsPartKind>[],
): Promise<void> {
  await set.seal();
  const { maker, model, condition } = bench.facts(serial);
  await larder.records.add({
    phone: { serial, maker, model, nickname: bench.view(serial).nickname },
    createdAt: now(),
    addedBytes: set.addedBytes,
    by,
    facts: {
      ...records,
      sdk: await link.appWork?.sdk(),
      androidVersion: condition.androidVersion,
      fingerprint: condition.fingerprint,
    },
    parts: [...parts],
  });
  larder.records.changed();
}
