import { describe, expect, it } from 'vitest';
import { readContentLines } from '../formats/content-lines/content-lines.ts';
import { writeCalendar } from '../formats/icalendar/icalendar.ts';
import { writeVcards, type Contact } from '../formats/vcard/vcard.ts';
import { fileOf, handedKinds, itemsIn, missingItems } from './handing.ts';

const contacts = handedKinds.contacts!;
const calendar = handedKinds.calendar!;
const contact = (name: string, number: string, mail?: string): Contact => ({
  name,
  phones: [{ number, type: 'cell' }],
  mails: mail ? [{ address: mail, type: undefined }] : [],
});
const some = [
  contact('Ringing hut', '+44 1632 960001', 'Hut@Saltmere.example'),
  contact('Sluice; the old one, with a comma', '01632 960002'),
  { ...contact('North hide', '01632 960003'), parts: ['hide', 'North', '', '', ''] as const },
];

describe('records that are handed to a phone', () => {
  it('are known again however the phone writes numbers and mails', () => {
    const wanted = itemsIn(writeVcards(some), contacts);
    const present = itemsIn(
      writeVcards([contact('ringing hut', '+441632960001', 'hut@saltmere.example'), some[2]!]),
      contacts,
    );
    expect(
      missingItems(wanted, present).map(({ lines }) => lines.find(({ name }) => name === 'FN')?.value),
    ).toEqual(['Sluice\\; the old one\\, with a comma']);
    expect(missingItems([...wanted, ...wanted], wanted)).toHaveLength(3);
  });

  it('are vCards of version 3.0, each with its name in parts', () => {
    const text = fileOf(itemsIn(writeVcards(some), contacts), contacts);
    const lines = readContentLines(text);
    const values = (name: string) => lines.filter((line) => line.name === name).map(({ value }) => value);
    expect(values('VERSION')).toEqual(['3.0', '3.0', '3.0']);
    expect(values('N')).toEqual([
      ';Ringing hut;;;',
      ';Sluice\\; the old one\\, with a comma;;;',
      'hide;North;;;',
    ]);
    expect(itemsIn(text, contacts).map(({ key }) => key)).toEqual(
      itemsIn(writeVcards(some), contacts).map(({ key }) => key),
    );
  });

  it('are events in one calendar', () => {
    const event = (title: string, day: number) => ({
      uid: title,
      title,
      startsAt: Date.UTC(2026, 4, day),
      isAllDay: false,
    });
    const [first, second] = [event('Count', 1), event('Count', 8)];
    const wanted = itemsIn(writeCalendar([first, second], 0), calendar);
    const left = missingItems(wanted, itemsIn(writeCalendar([first], 1), calendar));
    expect(left).toHaveLength(1);
    const text = fileOf(left, calendar);
    expect(text.match(/BEGIN:VCALENDAR/g)).toHaveLength(1);
    expect(text).toContain('DTSTART:20260508T000000Z');
  });
});
