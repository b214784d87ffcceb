import { providedKinds } from '@keen-larder/core/records/provided.ts';
import type { RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { PhoneRefusal } from '../failures.ts';
import type { ProviderAccess } from '../links/phone-link.ts';
import type { ReadRecords } from '../untrusted/records-reader.ts';
import { readProvidedRecords } from '../untrusted/untrusted.ts';

/** Kinds that content providers tell. */
export const kindsProvided = Object.keys(providedKinds) as RecordKindId[];

/** What a provider tells of one kind. @throws PhoneRefusal where it tells nothing, or what cannot be read */
export async function askProvider(
  providers: ProviderAccess,
  kind: RecordKindId,
  now: number,
  signal?: AbortSignal,
): Promise<{ readonly answer: string; readonly read: ReadRecords; readonly missing: string }> {
  const provided = providedKinds[kind];
  if (!provided) throw new PhoneRefusal('No content provider tells them: they need root.');
  const answer = await providers.ask(provided.question, signal);
  return { answer, read: await readProvidedRecords(kind, answer, now), missing: provided.missing };
}
