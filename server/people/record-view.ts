import type { RecordLineView, RecordView } from '@keen-larder/contract/people.ts';
import type { RecordRequest } from '@keen-larder/contract/requests/people.ts';
import { entryIn, type Entry } from '@keen-larder/core/people/record.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { deeds } from './deeds.ts';

const page = 200;

type Parts = Pick<KeenLarder, 'record' | 'phones' | 'larder' | 'jobs'>;

/** A page of the record, with what it names as far as that is still known. */
export function recordView(parts: Parts, { before }: RecordRequest): RecordView {
  const { record } = parts;
  const { lines, head, brokenAt } = before === undefined ? record.verify() : record.lastVerified();
  return {
    lines: record.newest(before ?? lines + 1, page).map((line) => inWords(parts, line)),
    ...{ count: lines, head, brokenAt },
  };
}

function inWords(parts: Parts, line: string): RecordLineView {
  try {
    const entry = entryIn(line);
    const { n, at, who, what } = entry;
    return { ...{ n, at, who }, words: deeds[what]?.words ?? what, on: nameOf(parts, entry) };
  } catch {
    return { n: 0, at: 0, who: '', words: 'a line that cannot be read', on: undefined };
  }
}

/** @returns undefined where it names nothing, or nothing that is still here */
function nameOf({ record, phones, larder, jobs }: Parts, { what, on }: Entry): RecordLineView['on'] {
  if (typeof on['phone'] === 'number') {
    const serial = record.serialOf(on['phone']);
    const phone = serial === undefined ? undefined : phones.one(serial);
    return phone
      ? { text: phone.nickname, path: `/bench/${encodeURIComponent(phone.serial)}` }
      : { text: 'a phone that was erased', path: undefined };
  }
  const id = on['id'];
  if (typeof id !== 'string') return undefined;
  if (/ \/sets\//.test(what)) {
    const set = larder.list().find((each) => each.id === id);
    return set
      ? { text: set.label, path: `/larder/sets/${id}` }
      : { text: 'a set that is gone', path: undefined };
  }
  if (/ \/runs\//.test(what)) return { text: 'its run', path: `/runs/${id}` };
  if (/ \/jobs\//.test(what)) {
    const card = jobs.list().find((each) => each.id === id);
    return card
      ? { text: `Job ${card.number}, ${card.who}`, path: `/jobs/${id}` }
      : { text: 'a job card that is gone', path: undefined };
  }
  return undefined;
}
