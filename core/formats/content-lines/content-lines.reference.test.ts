// Content lines, vCards and iCalendar objects against the examples printed in RFC 6350 and RFC 5545.
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { FormatError } from '../../bytes/format-error.ts';
import { writeCalendar } from '../icalendar/icalendar.ts';
import { writeVcards } from '../vcard/vcard.ts';
import {
  escapeText,
  readContentLines,
  splitValue,
  unescapeText,
  writeContentLines,
} from './content-lines.ts';

describe('content lines', () => {
  // RFC 6350: sections 6.2.1, 6.2.2, 6.3.1, 6.4.1, 6.4.2, 6.6.4; RFC 5545: sections 3.2.15, 3.3.10, 3.6.1, 3.8.1.2.
  it.each([
    ['FN:Mr. John Q. Public\\, Esq.', 'FN', undefined, 'Mr. John Q. Public, Esq.'],
    ['N:Public;John;Quinlan;Mr.;Esq.', 'N', undefined, 'Public;John;Quinlan;Mr.;Esq.'],
    ['EMAIL;TYPE=work:jqpublic@xyz.example.com', 'EMAIL', { TYPE: 'work' }, 'jqpublic@xyz.example.com'],
    [
      'TEL;VALUE=uri;PREF=1;TYPE="voice,home":tel:+1-555-555-5555;ext=5555',
      'TEL',
      { VALUE: 'uri', PREF: '1', TYPE: 'voice,home' },
      'tel:+1-555-555-5555;ext=5555',
    ],
    ['DTSTART;VALUE=DATE:19971102', 'DTSTART', { VALUE: 'DATE' }, '19971102'],
    ['RRULE:FREQ=YEARLY', 'RRULE', undefined, 'FREQ=YEARLY'],
  ] as const)('%s', (line, name, parameters, text) => {
    const [read] = readContentLines(`${line}\r\n`);
    expect(read!.name).toBe(name);
    expect(read!.parameters).toEqual(parameters);
    expect(unescapeText(read!.value)).toBe(text);
    expect(writeContentLines([read!])).toBe(`${line}\r\n`);
  });

  it('are unfolded as in the example of RFC 6350, section 3.2', () => {
    const folded = 'NOTE:This is a long description\r\n  that exists o\r\n n a long line.\r\n';
    expect(readContentLines(folded)).toEqual([
      { name: 'NOTE', value: 'This is a long description that exists on a long line.' },
    ]);
  });

  it('have parts where a separator is not escaped (RFC 6350, section 6.6.4)', () => {
    expect(splitValue('ABC\\, Inc.;North American Division;Marketing', ';').map(unescapeText)).toEqual([
      'ABC, Inc.',
      'North American Division',
      'Marketing',
    ]);
  });

  it('come back as they were written, whatever text they hold, in lines of 75 octets at most', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 300 }), (text) => {
        const plain = text.replace(/\r\n?/g, '\n');
        const written = writeContentLines([{ name: 'NOTE', value: escapeText(text) }]);
        for (const line of written.split('\r\n')) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(75);
        expect(unescapeText(readContentLines(written)[0]!.value)).toBe(plain);
      }),
    );
  });

  it('are refused by their number where they are none', () => {
    expect(() => readContentLines('FN:a\r\nnonsense\r\n')).toThrow(FormatError);
    expect(() => readContentLines('FN:a\r\nnonsense\r\n')).toThrow(/nonsense/);
  });
});

describe('contacts', () => {
  it('become the properties of the examples of RFC 6350', () => {
    const card = writeVcards([
      {
        name: 'Mr. John Q. Public, Esq.',
        parts: ['Public', 'John', 'Quinlan', 'Mr.', 'Esq.'],
        phones: [{ number: '+1-555-555-5555', type: 'home' }],
        mails: [{ address: 'jqpublic@xyz.example.com', type: 'work' }],
        organisation: 'ABC, Inc.',
      },
    ]);
    expect(card).toBe(
      [
        'BEGIN:VCARD',
        'VERSION:4.0',
        'FN:Mr. John Q. Public\\, Esq.',
        'N:Public;John;Quinlan;Mr.;Esq.',
        'TEL;TYPE=home:+1-555-555-5555',
        'EMAIL;TYPE=work:jqpublic@xyz.example.com',
        'ORG:ABC\\, Inc.',
        'END:VCARD',
        '',
      ].join('\r\n'),
    );
  });
});

describe('events', () => {
  it('become those of the examples of RFC 5545, section 3.6.1', () => {
    const stamp = Date.UTC(1997, 8, 1, 13);
    const text = writeCalendar(
      [
        {
          uid: '19970901T130000Z-123401@example.com',
          title: 'Annual Employee Review',
          startsAt: Date.UTC(1997, 8, 3, 16, 30),
          endsAt: Date.UTC(1997, 8, 3, 19),
          isAllDay: false,
        },
        {
          uid: '19970901T130000Z-123403@example.com',
          title: 'Our Blissful Anniversary',
          startsAt: Date.UTC(1997, 10, 2),
          isAllDay: true,
          rule: 'FREQ=YEARLY',
        },
      ],
      stamp,
    );
    expect(text).toContain(
      [
        'BEGIN:VEVENT',
        'UID:19970901T130000Z-123401@example.com',
        'DTSTAMP:19970901T130000Z',
        'DTSTART:19970903T163000Z',
        'DTEND:19970903T190000Z',
        'SUMMARY:Annual Employee Review',
        'END:VEVENT',
      ].join('\r\n'),
    );
    expect(text).toContain(
      [
        'DTSTART;VALUE=DATE:19971102',
        'SUMMARY:Our Blissful Anniversary',
        'RRULE:FREQ=YEARLY',
        'END:VEVENT',
        'END:VCALENDAR',
        '',
      ].join('\r\n'),
    );
    expect(text.startsWith('BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:')).toBe(true);
  });
});

it('no value begins a line of its own, whatever a phone says', () => {
  const evil = 'x\r\nEND:VEVENT\nATTACH:file:///etc/passwd\u2028\u0000';
  const calendar = writeCalendar(
    [
      {
        uid: evil,
        title: evil,
        startsAt: 0,
        duration: 'PT1H\r\nX-EVIL:1',
        isAllDay: false,
        place: evil,
        description: evil,
        rule: 'FREQ=DAILY\r\nX-EVIL:1',
      },
    ],
    0,
  );
  const card = writeVcards([{ name: evil, phones: [{ number: evil, type: evil }], mails: [], note: evil }]);
  for (const text of [calendar, card]) {
    const names = text
      .replaceAll('\r\n ', '')
      .split('\r\n')
      .map((line) => line.split(/[:;]/)[0]);
    expect(names).not.toContain('ATTACH');
    expect(names).not.toContain('X-EVIL');
    expect(names.filter((name) => name === 'END').length).toBe(
      names.filter((name) => name === 'BEGIN').length,
    );
  }
  expect(calendar).not.toMatch(/RRULE|DURATION/);
});
