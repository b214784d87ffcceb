import { escapeText, writeContentLines, type ContentLine } from '../content-lines/content-lines.ts';

/** An event as the platform's calendar database has it. */
export interface CalendarEvent {
  readonly uid: string;
  readonly title: string;
  /** Milliseconds since 1970. */
  readonly startsAt: number;
  readonly endsAt?: number | undefined;
  /** As the platform keeps it for what is repeated: `P1D`, `PT3600S`. */
  readonly duration?: string | undefined;
  readonly isAllDay: boolean;
  readonly place?: string | undefined;
  readonly description?: string | undefined;
  /** A recurrence rule, which the platform keeps as RFC 5545 has it. */
  readonly rule?: string | undefined;
}

/** `19970903T163000Z` */
export const dateTimeText = (at: number): string =>
  new Date(at)
    .toISOString()
    .replace(/[-:]/g, '')
    .replace(/\.\d{3}/, '');
const dateText = (at: number) => dateTimeText(at).slice(0, 8);

/**
 * Events as one iCalendar object (RFC 5545).
 * @param madeAt when it was written, in milliseconds since 1970
 */
export function writeCalendar(events: readonly CalendarEvent[], madeAt: number): string {
  return writeContentLines([
    { name: 'BEGIN', value: 'VCALENDAR' },
    { name: 'VERSION', value: '2.0' },
    { name: 'PRODID', value: '-//Keen Larder//Records//EN' },
    ...events.flatMap((event) => linesOf(event, madeAt)),
    { name: 'END', value: 'VCALENDAR' },
  ]);
}

/** RFC 5545, 3.3.6; the platform leaves the T out before seconds alone. */
const isDuration = (text: string | undefined): text is string =>
  text !== undefined && /^[+-]?P(?:\d+[WD])?T?(?:\d+[HMS])*$/.test(text);
/** RFC 5545, 3.3.10: parts with `=`, apart by `;`. */
const isRule = (text: string | undefined): text is string =>
  text !== undefined && /^[A-Z]+=[A-Z0-9,+:-]+(?:;[A-Z]+=[A-Z0-9,+:-]+)*$/i.test(text);

function linesOf(event: CalendarEvent, madeAt: number): ContentLine[] {
  const time = (name: string, at: number): ContentLine =>
    event.isAllDay
      ? { name, parameters: { VALUE: 'DATE' }, value: dateText(at) }
      : { name, value: dateTimeText(at) };
  const text = (name: string, value: string | undefined): ContentLine[] =>
    value ? [{ name, value: escapeText(value) }] : [];
  return [
    { name: 'BEGIN', value: 'VEVENT' },
    { name: 'UID', value: escapeText(event.uid) },
    { name: 'DTSTAMP', value: dateTimeText(madeAt) },
    time('DTSTART', event.startsAt),
    ...(event.endsAt !== undefined ? [time('DTEND', event.endsAt)] : []),
    ...(event.endsAt === undefined && isDuration(event.duration)
      ? [{ name: 'DURATION', value: event.duration }]
      : []),
    ...text('SUMMARY', event.title),
    ...text('LOCATION', event.place),
    ...text('DESCRIPTION', event.description),
    ...(isRule(event.rule) ? [{ name: 'RRULE', value: event.rule }] : []),
    { name: 'END', value: 'VEVENT' },
  ];
}
