import type { RecordsOnPhone, RecordsView } from '@keen-larder/contract/copies.ts';
import { recordKind, type RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { PhoneRefusal } from '../../failures.ts';
import type { PhoneLink, ProviderAccess } from '../../links/phone-link.ts';
import { askProvider, kindsProvided } from '../../records/provided-records.ts';
import { fetchRecords, findRecords } from '../../records/phone-records.ts';
import type { RunContext } from '../engine/run-context.ts';
import { filesOf } from '../phone/phone-access.ts';

/** Records of a phone: what it has, and what the larder has of each kind. */
export async function recordsOnPhone(
  { bench, larder, now }: RunContext,
  serial: string,
): Promise<RecordsOnPhone[]> {
  const link = bench.link(serial);
  const kept = larder.records.list().filter(({ binnedAt }) => binnedAt === undefined);
  const copies = [
    ...kept.filter((copy) => copy.serial === serial),
    ...kept.filter((copy) => copy.serial !== serial),
  ];
  if (link.providers) return providedOnPhone(link.providers, copies, now());
  const files = filesOf(link);
  if (!(await files.ready())) return [];
  const found = await findRecords(files);
  const views: RecordsOnPhone[] = [];
  for (const each of found) {
    const { read } = await fetchRecords(files, each, now());
    views.push({
      kind: each.kind,
      files: each.files.map(({ path }) => path),
      bytes: each.bytes,
      count: each.files.length > 0 ? read.count : 0,
      missing: undefined,
      fault: read.fault,
      copies: copies.filter(({ records }) => records.kind === each.kind),
    });
  }
  return views;
}

/** Records of a phone without root: those that its content providers tell. */
async function providedOnPhone(
  providers: ProviderAccess,
  copies: readonly RecordsView[],
  now: number,
): Promise<RecordsOnPhone[]> {
  const views: RecordsOnPhone[] = [];
  for (const kind of kindsProvided) {
    const own = copies.filter(({ records }) => records.kind === kind);
    try {
      const { answer, read, missing } = await askProvider(providers, kind, now);
      const bytes = Buffer.byteLength(answer);
      views.push({ kind, files: [], bytes, count: read.count, missing, fault: read.fault, copies: own });
    } catch (error) {
      if (!(error instanceof PhoneRefusal)) throw error;
      const fault = error.message;
      views.push({ kind, files: [], bytes: 0, count: undefined, missing: undefined, fault, copies: own });
    }
  }
  return views;
}

/** Stops what writes records of a kind. */
export async function stopWriters({ appWork }: PhoneLink, kind: RecordKindId): Promise<void> {
  for (const name of recordKind(kind).stops) await appWork?.stop(name);
}

export const titlesOf = (kinds: readonly RecordKindId[]): string =>
  listText(kinds.map((kind) => recordKind(kind).title));
