import { setTimeout as pause } from 'node:timers/promises';
import type { RecordsView } from '@keen-larder/contract/copies.ts';
import {
  fileOf,
  handedKinds,
  itemsIn,
  missingItems,
  type HandedItem,
  type HandedKind,
} from '@keen-larder/core/records/handing.ts';
import { recordKind, type RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { stopwatch } from '../../async/stopwatch.ts';
import { PartFailure } from '../../failures.ts';
import { askProvider } from '../../records/provided-records.ts';
import { readImage } from '../../shelf/image-reader.ts';
import type { RunContext } from '../engine/run-context.ts';
import type { Run } from '../engine/live-run.ts';
import type { Attempt } from '../phone/phone-at-work.ts';

/** How long somebody may take to agree, and how often the phone is asked whether it has them. */
const agreedWithinMs = 180_000;
const askEveryMs = 1500;

/**
 * Hands contacts or events to a phone without root as a file that its owner accepts on its screen; those that it has already are left
 * out. They are there once its own content provider tells them.
 * @throws PartFailure where nobody agreed, or not all of them came
 */
export async function handRecords(
  { larder }: RunContext,
  { link, signal }: Attempt,
  copy: RecordsView,
  run: Run,
): Promise<string> {
  const { kind } = copy.records;
  const handed = handedKinds[kind];
  const { handing } = link;
  const part = copy.parts.find((each) => each.kind === 'readable');
  if (!handed || !part || !handing) throw new PartFailure('They cannot be handed to this phone.');
  const parts: Uint8Array[] = [];
  for await (const each of readImage(larder.shelf, larder.records.part(copy.id, part.name))) parts.push(each);
  const wanted = itemsIn(Buffer.concat(parts).toString(), handed);
  const present = () => itemsOn(kind, handed, handing.providers, signal);
  const missing = missingItems(wanted, await present());
  if (missing.length === 0) return `the phone has all ${wanted.length} of them`;
  const path = `${handing.folder}/${handed.fileName}`;
  await handing.write(path, Buffer.from(fileOf(missing, handed)));
  await handing.open(path, handed.mediaType);
  const left = await run.waiting(
    `Waiting for somebody to unlock the phone and accept the ${recordKind(kind).title.toLowerCase()} on its screen.`,
    () => leftOf(wanted, present, signal),
  );
  const came = missing.length - left.length;
  if (left.length > 0)
    throw new PartFailure(
      came === 0
        ? `Nobody accepted them. The file stays on the phone: open Download/${handed.fileName} there.`
        : `${came} of ${missing.length} came; the phone does not tell the others.`,
    );
  await handing.remove(path);
  const had = wanted.length - missing.length;
  return `${missing.length} accepted, as the phone tells them${had > 0 ? `; ${had} were there` : ''}`;
}

/** Asks again and again until the phone has all, or too long has gone by. @returns what it does not have */
async function leftOf(
  wanted: readonly HandedItem[],
  present: () => Promise<HandedItem[]>,
  signal: AbortSignal,
): Promise<HandedItem[]> {
  const elapsedMs = stopwatch();
  for (;;) {
    const left = missingItems(wanted, await present());
    if (left.length === 0 || elapsedMs() > agreedWithinMs) return left;
    await pause(askEveryMs, undefined, { signal });
  }
}

/** What the phone tells of a kind; none where it tells nothing. */
async function itemsOn(
  kind: RecordKindId,
  handed: HandedKind,
  providers: Parameters<typeof askProvider>[0],
  signal: AbortSignal,
): Promise<HandedItem[]> {
  const { read } = await askProvider(providers, kind, Date.now(), signal);
  return read.readable ? itemsIn(read.readable.text, handed) : [];
}
