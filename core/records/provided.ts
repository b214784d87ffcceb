import type { RecordKindId } from './kinds.ts';

/** One question to a content provider. */
export interface ProviderQuestion {
  readonly uri: string;
  /** The one whose text may hold anything comes last. */
  readonly columns: readonly string[];
}

/** Records that a system hands to its shell without root, and what of them it does not (from memory; AOSP, packages/providers). */
export interface ProvidedKind {
  readonly question: ProviderQuestion;
  /** What such a copy lacks, in a few words. */
  readonly missing: string;
}

export const providedKinds: Partial<Readonly<Record<RecordKindId, ProvidedKind>>> = {
  contacts: {
    question: {
      uri: 'content://com.android.contacts/data',
      columns: [
        ...['raw_contact_id', 'mimetype', 'data2', 'data3', 'data4', 'data5', 'data6'],
        ...['display_name', 'data1'],
      ],
    },
    missing: 'pictures, groups and accounts of the contacts',
  },
  messages: {
    question: { uri: 'content://sms', columns: ['_id', 'date', 'type', 'address', 'body'] },
    missing: 'MMS with their pictures, and drafts',
  },
  calls: {
    question: {
      uri: 'content://call_log/calls',
      columns: ['_id', 'number', 'date', 'duration', 'type', 'name'],
    },
    missing: 'voicemail',
  },
  calendar: {
    question: {
      uri: 'content://com.android.calendar/events',
      columns: [
        ...['_id', 'dtstart', 'dtend', 'duration', 'allDay', 'rrule', 'deleted'],
        ...['title', 'eventLocation', 'description'],
      ],
    },
    missing: 'attendees and reminders',
  },
};

/** `NULL` is what the tool prints for nothing. */
const nothing = 'NULL';

/**
 * Rows that `content query` prints (AOSP, frameworks/base/cmds/content): `Row: 0 name=value, name=value`. A value goes on to
 * the name of the next column, the last one to the next row; line feeds within are its own.
 */
export function parseProviderRows(
  text: string,
  columns: readonly string[],
): Readonly<Record<string, string | null>>[] {
  return text
    .split(/^Row: \d+ /m)
    .slice(1)
    .flatMap((row) => {
      const found: Record<string, string | null> = {};
      let rest = row.replace(/\n$/, '');
      for (const [i, name] of columns.entries()) {
        if (!rest.startsWith(`${name}=`)) return [];
        rest = rest.slice(name.length + 1);
        const next = columns[i + 1];
        const end = next === undefined ? rest.length : rest.indexOf(`, ${next}=`);
        if (end < 0) return [];
        const value = rest.slice(0, end);
        found[name] = value === nothing ? null : value;
        rest = rest.slice(end + 2);
      }
      return [found];
    });
}
