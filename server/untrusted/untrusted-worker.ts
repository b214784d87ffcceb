/** Runs in a thread of its own: reads what phones and files say, which may take for ever. See `untrusted.ts`. */
import { parseEntries, parsePackageDump } from '@keen-larder/core/apps/package-dump.ts';
import type { RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { keyUidsIn } from './key-uids.ts';
import { readProvided, readRecords, type ReadRecords } from './records-reader.ts';

export const records = ({
  kind,
  files,
  now,
}: {
  readonly kind: RecordKindId;
  readonly files: ReadonlyMap<string, Uint8Array>;
  readonly now: number;
}): ReadRecords => readRecords(kind, files, now);

export const provided = ({
  kind,
  answer,
  now,
}: {
  readonly kind: RecordKindId;
  readonly answer: string;
  readonly now: number;
}): ReadRecords => readProvided(kind, answer, now);

export const keyUids = (bytes: Uint8Array): number[] => keyUidsIn(bytes);

export const packages = ({ text, user }: { text: string; user: number }) => parsePackageDump(text, user);

export const entries = (text: string) => parseEntries(text);
