import {
  readContentLines,
  unescapeText,
  writeContentLines,
  type ContentLine,
} from '../formats/content-lines/content-lines.ts';
import type { RecordKindId } from './kinds.ts';

/** Records that a phone takes from a file, once its owner agrees on its screen. */
export interface HandedKind {
  /** In shared storage, where the owner sees it as well. */
  readonly fileName: string;
  readonly mediaType: string;
  /** What begins and ends one of them. */
  readonly component: 'VCARD' | 'VEVENT';
}

/** That the apps of phones take these files is common practice, no published source. */
export const handedKinds: Partial<Readonly<Record<RecordKindId, HandedKind>>> = {
  contacts: { fileName: 'contacts.vcf', mediaType: 'text/x-vcard', component: 'VCARD' },
  calendar: { fileName: 'calendar.ics', mediaType: 'text/calendar', component: 'VEVENT' },
};

/** One contact or event. */
export interface HandedItem {
  readonly lines: readonly ContentLine[];
  /** By which it is known again: what a phone gives back of it, and no more. */
  readonly key: string;
}

/** The items of a file that this program wrote, in order. @throws FormatError where it is none */
export function itemsIn(text: string, { component }: HandedKind): HandedItem[] {
  const found: HandedItem[] = [];
  let lines: ContentLine[] | undefined;
  for (const line of readContentLines(text)) {
    const isEdge = line.value.toUpperCase() === component;
    if (line.name === 'BEGIN' && isEdge) lines = [];
    else if (line.name === 'END' && isEdge && lines) {
      found.push({ lines, key: keyOf(lines, component) });
      lines = undefined;
    } else lines?.push(line);
  }
  return found;
}

/** Numbers are written with blanks or without, mails in small letters or not. */
const plain = (value: string) => unescapeText(value).trim().toLowerCase();

function keyOf(lines: readonly ContentLine[], component: HandedKind['component']): string {
  const of = (name: string) => lines.filter((line) => line.name === name).map(({ value }) => plain(value));
  if (component === 'VEVENT') return JSON.stringify([of('SUMMARY'), of('DTSTART')]);
  const numbers = of('TEL').map((number) => number.replace(/[^\d+]/g, ''));
  return JSON.stringify([of('FN'), numbers.sort(), of('EMAIL').sort()]);
}

/** Those that a phone does not have. Of several alike as many are missing as it has fewer. */
export function missingItems(wanted: readonly HandedItem[], present: readonly HandedItem[]): HandedItem[] {
  const counts = new Map<string, number>();
  for (const { key } of present) counts.set(key, (counts.get(key) ?? 0) + 1);
  return wanted.filter(({ key }) => {
    const left = counts.get(key) ?? 0;
    counts.set(key, left - 1);
    return left <= 0;
  });
}

/**
 * A file of items as phones take them: vCards of version 3.0 (RFC 2426), since not every phone reads 4.0, each with the name in its
 * parts that this version asks for; events in one calendar (RFC 5545).
 */
export function fileOf(items: readonly HandedItem[], { component }: HandedKind): string {
  const block = (name: string, lines: readonly ContentLine[]): ContentLine[] => [
    { name: 'BEGIN', value: name },
    ...lines,
    { name: 'END', value: name },
  ];
  if (component === 'VEVENT')
    return writeContentLines(
      block('VCALENDAR', [
        { name: 'VERSION', value: '2.0' },
        { name: 'PRODID', value: '-//Keen Larder//Records//EN' },
        ...items.flatMap(({ lines }) => block('VEVENT', lines)),
      ]),
    );
  return items
    .map(({ lines }) => {
      const others = lines.filter(({ name }) => name !== 'VERSION');
      const name = others.find((line) => line.name === 'FN')?.value ?? '';
      const parts = others.some((line) => line.name === 'N') ? [] : [{ name: 'N', value: `;${name};;;` }];
      return writeContentLines(block('VCARD', [{ name: 'VERSION', value: '3.0' }, ...parts, ...others]));
    })
    .join('');
}
