import { conditionText, type Condition } from '../phone/facts.ts';

/** Longest label that still fits a paper label and a folder name. */
export const maxLabelLength = 120;

export interface LabelFacts {
  readonly model: string;
  /** What tells the phone from others of its model. */
  readonly nickname: string;
  readonly serial: string;
  readonly condition: Condition;
  /** Why the set is taken, in the technician's words: `before flash`. */
  readonly purpose: string;
  readonly at: Date;
  /** Offset from UTC of the bench computer, in minutes east. */
  readonly utcOffsetMinutes: number;
}

const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

/** A day that cannot be misread: `24 Nov 2026`. */
export function dayText(at: Date, utcOffsetMinutes: number): string {
  const local = new Date(at.getTime() + utcOffsetMinutes * 60_000);
  return `${local.getUTCDate()} ${months[local.getUTCMonth()]} ${local.getUTCFullYear()}`;
}

/** Model and nickname, or the end of the serial where nobody gave the phone a name. */
const phoneText = ({ model, nickname, serial }: LabelFacts): string =>
  `${model} ${nickname === model ? serial.slice(-4) : nickname}`;

/** The name of a set from what is known: `Knot 3 Ringing hut · rooted 9 · before flash · 24 Nov 2026`. */
export const composeLabel = (facts: LabelFacts): string =>
  [
    phoneText(facts),
    conditionText(facts.condition),
    facts.purpose.trim(),
    dayText(facts.at, facts.utcOffsetMinutes),
  ]
    .filter(Boolean)
    .join(' · ');

/** The label itself when it is free, otherwise with the lowest free number: `… (2)`. */
export function nextFreeLabel(label: string, taken: readonly string[]): string {
  if (!taken.includes(label)) return label;
  const base = label.replace(/ \(\d+\)$/, '');
  for (let n = 2; ; n++) {
    const candidate = `${base} (${n})`;
    if (!taken.includes(candidate)) return candidate;
  }
}

/** A label as a folder or file name that every file system takes. */
export function fileNameOf(label: string): string {
  const plain = label
    .normalize('NFKD')
    .replace(/[^\p{Letter}\p{Number}.() _-]+/gu, ' ')
    .replace(/\s+/g, ' ')
    .replace(/^[. ]+|[. ]+$/g, '');
  return plain.slice(0, 100).trim() || 'set';
}
