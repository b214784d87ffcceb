import type { RecordsView } from '@keen-larder/contract/copies.ts';
import type { PuttingRecordsStart } from '@keen-larder/contract/requests/records.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import { recordKind, type RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { asOnePart, PartFailure } from '../../failures.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { byItself } from '../apps/app-batch.ts';
import type { RunContext } from '../engine/run-context.ts';
import { onPhone, startRun } from '../engine/start-run.ts';
import { PhoneAtWork, type Attempt } from '../phone/phone-at-work.ts';
import { keepAll } from './keeping-records.ts';
import { handRecords } from './handing-records.ts';
import { exchangeRecords, type WantedFile } from './records-exchange.ts';
import { stopWriters, titlesOf } from './records-on-phone.ts';

/**
 * Puts kept records back: what is there is kept first; then the system starts anew with them.
 * @throws Problem 422 with the checks that stand in the way, or where it must be armed and is not
 */
export function startPuttingRecords(
  context: RunContext,
  serial: string,
  start: PuttingRecordsStart,
): Promise<RunView> {
  const { bench, larder, recordSheets, retryPolicy, startLimitMs } = context;
  return startRun(context, {
    sheet: () => recordSheets.putting(serial, start),
    confirmed: start.confirmed,
    seen: start.seen,
    arming: { serial, typed: start.armedWith },
    writesShelf: true,
    plan() {
      const phone = onPhone(context, serial);
      return {
        kind: 'putting-records',
        title: `Put personal records back on ${phone.nickname}`,
        alsoReads: start.copies,
        ...phone,
      };
    },
    async work(run, { steps }) {
      const all = start.copies.map((id) => larder.records.one(id));
      const handed = steps.filter(({ kind }) => kind === 'hand-records').map(({ app }) => app);
      const copies = all.filter(({ records }) => !handed.includes(records.kind));
      const keeping = steps.filter(({ kind }) => kind === 'copy').map(({ app }) => app as RecordKindId);
      const unkept = await keepAll(context, serial, keeping, run);
      const leftOver = 'What was there is in the larder';
      const phone = new PhoneAtWork(bench, serial, 'system', run, retryPolicy, leftOver);
      const failed: RecordKindId[] = [];
      for (const [i, copy] of copies.entries()) {
        const { kind } = copy.records;
        const put = (passed: (bytes: number) => void) => {
          if (unkept.includes(kind)) throw new PartFailure('Left as it is: it could not be kept first.');
          return phone.retry({
            what: `Put back ${recordKind(kind).title}`,
            passed,
            attempt: (attempt) => putOne(context, attempt, copy),
          });
        };
        const index = keeping.length + i;
        const isDone = await run.part(index, (passed) =>
          asOnePart(
            async () => put(passed),
            (error) => `${byItself(error)} It is as it was before.`,
          ),
        );
        if (!isDone) failed.push(kind);
      }
      for (const [i, copy] of all.filter((each) => !copies.includes(each)).entries()) {
        const { kind } = copy.records;
        const hand = () =>
          phone.retry({
            what: `Hand over ${recordKind(kind).title}`,
            attempt: (attempt) => handRecords(context, attempt, copy, run),
          });
        const isDone = await run.part(keeping.length + copies.length + i, () => asOnePart(hand));
        if (!isDone) failed.push(kind);
      }
      if (copies.length === 0) return outcomeText(all.length, failed);
      await run.step(steps.length - 1, async () => {
        await bench.restart(serial, 'system');
        await run.waiting(`Waiting for ${bench.view(serial).nickname} to start.`, () =>
          bench.waitFor(serial, 'system', startLimitMs, run.signal),
        );
        return 'it has started';
      });
      return outcomeText(all.length, failed);
    },
  });
}

function outcomeText(all: number, failed: readonly RecordKindId[]): string {
  const done = all - failed.length;
  const there = `${done === 1 ? 'One kind' : `${done} kinds`} of records in place and proved.`;
  return failed.length === 0 ? there : `Not put back, and as before: ${titlesOf(failed)}. ${there}`;
}

async function putOne(
  { larder }: RunContext,
  { link, signal, passed }: Attempt,
  copy: RecordsView,
): Promise<string> {
  const { kind, files } = copy.records;
  await stopWriters(link, kind);
  const wanted: WantedFile[] = [];
  for (const { name, sha256 } of copy.parts.filter((part) => part.kind === 'raw')) {
    const parts: Uint8Array[] = [];
    for await (const part of readImage(larder.shelf, larder.records.part(copy.id, name))) parts.push(part);
    wanted.push({ path: `/${name}`, bytes: Buffer.concat(parts), sha256 });
  }
  await exchangeRecords(link, kind, wanted, files, signal);
  for (const { bytes } of wanted) passed(bytes.length);
  return `${wanted.length} ${wanted.length === 1 ? 'file' : 'files'} in place and proved`;
}
