import { describe, expect, it } from 'vitest';
import type { PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import type { PhoneLink } from '../links/phone-link.ts';
import { PhoneRecord } from './phone-record.ts';

const link = {} as PhoneLink;
const facts = { mode: 'recovery', root: true, condition: { kind: 'unknown' } } as PhoneFacts;

describe('how a phone stands to the bench', () => {
  it('is here while it has a link, and away afterwards', () => {
    const phone = new PhoneRecord('X');
    expect(phone.presence(0)).toBe('away');
    phone.arrived(0, link, facts, true);
    expect(phone.presence(1)).toBe('here');
    phone.left(5, true);
    expect(phone.presence(6)).toBe('away');
    expect(phone.goneAt).toBe(5);
  });

  it('is restarting until it is overdue, and then does not start', () => {
    const phone = new PhoneRecord('X');
    phone.arrived(0, link, facts, true);
    phone.expected = { mode: 'recovery', overdueAt: 100 };
    phone.left(10, true);
    expect(phone.presence(99)).toBe('restarting');
    expect(phone.presence(100)).toBe('looping');
    phone.arrived(0, link, facts, true);
    expect(phone.presence(120)).toBe('here');
    expect(phone.expected).toBeUndefined();
  });

  it('loops when it comes and goes without ever having started', () => {
    const phone = new PhoneRecord('X');
    for (let start = 0; start < 2; start++) {
      expect(phone.presence(start)).not.toBe('looping');
      phone.arrived(0, link, facts, false);
      phone.left(start, false);
    }
    expect(phone.presence(10)).toBe('looping');
    phone.arrived(0, link, facts, false);
    expect(phone.presence(11)).toBe('looping');
    phone.settled();
    expect(phone.presence(12)).toBe('here');
  });

  it('knows a system that did not start until it is seen to start', () => {
    const system = { ...facts, mode: 'system' } as PhoneFacts;
    const starts = (phone: PhoneRecord) => phone.facts?.condition.starts;
    const loop = new PhoneRecord('X');
    for (let start = 0; start < 2; start++) {
      loop.arrived(0, link, system, false);
      loop.left(start, false);
    }
    loop.arrived(3, link, facts, true);
    expect(starts(loop)).toBe(false);
    loop.left(4, true);
    loop.arrived(5, link, system, false);
    expect(starts(loop)).toBe(false);
    loop.settled();
    expect(starts(loop)).toBeUndefined();

    const overdue = new PhoneRecord('Y');
    for (const [mode, known] of [
      ['recovery', undefined],
      ['system', false],
    ] as const) {
      overdue.arrived(0, link, facts, true);
      overdue.expected = { mode, overdueAt: 100 };
      overdue.left(10, true);
      overdue.arrived(120, link, facts, true);
      expect(starts(overdue)).toBe(known);
    }
  });

  it('does not take a cable that is pulled and put back for a loop', () => {
    const phone = new PhoneRecord('X');
    for (let n = 0; n < 5; n++) {
      phone.arrived(0, link, facts, true);
      phone.left(n, true);
    }
    expect(phone.presence(9)).toBe('away');
  });
});
