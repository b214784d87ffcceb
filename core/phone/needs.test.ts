import { describe, expect, it } from 'vitest';
import { needsOf, type NeedFacts, type OffsiteNeeds, type NeedingPhone, type NeedingRun } from './needs.ts';

const day = 86_400_000;
const now = 100 * day;
const phone = (over: Partial<NeedingPhone> = {}): NeedingPhone => ({
  ...{ serial: 'A1', nickname: 'Hut', presence: 'here', due: undefined, isNew: false },
  ...over,
});
const run = (over: Partial<NeedingRun> = {}): NeedingRun => ({
  ...{ id: 'r', kind: 'restoring', title: 'Restore boot', serial: 'A1', state: 'done', startedAt: now - day },
  ...{ waitingFor: undefined, canResume: false, outcome: undefined },
  ...over,
});
const nothing: NeedFacts = {
  ...{ phones: [phone()], runs: [run()], halfWritten: [], waiting: [], damaged: [] },
  shelf: { isLocked: false, absence: undefined, freeBytes: 50, totalBytes: 100 },
  offsite: [{ copy: 'bucket', isLocked: false, missing: 0, isAway: false, fault: undefined }],
};
const needs = (over: Partial<NeedFacts>) => needsOf({ ...nothing, ...over }, now);
const said = (over: Partial<NeedFacts>) =>
  needs(over).map(({ urgency, title, action }) => `${urgency}: ${title} › ${action}`);

describe('what needs hands', () => {
  it('is nothing where all is well', () => {
    expect(needs({})).toEqual([]);
    expect(needs({ shelf: undefined, offsite: [] })).toEqual([]);
  });

  it('comes in the order of urgency', () => {
    const found = needs({
      phones: [
        phone({ due: 'kept 9 days ago' }),
        phone({ serial: 'B2', nickname: 'Shed', presence: 'looping' }),
      ],
      runs: [run({ id: 'w', state: 'waiting', waitingFor: 'Put its cable back in.' })],
      halfWritten: [{ serial: 'B2', partitions: ['boot', 'system'], runId: 'gone' }],
      waiting: [{ address: 'usb 1', title: 'has not allowed this computer yet', sentence: 'Tap Allow.' }],
      damaged: [{ id: 's', label: 'Before', nickname: 'Hut' }],
    });
    expect(found.map(({ id, urgency }) => `${urgency} ${id}`)).toEqual([
      'now waiting w',
      'now half B2',
      'now looping B2',
      'soon way usb 1',
      'soon damaged s',
      'later due A1',
    ]);
    expect(found[1]).toMatchObject({
      title: 'Shed is half written',
      sentence: 'boot and system were begun and not proved. Resume the run, or put them back again.',
      place: { is: 'run', id: 'gone' },
    });
  });

  it('leaves alone what goes on by itself', () => {
    const halfWritten = [{ serial: 'A1', partitions: ['boot'], runId: 'r' }];
    expect(said({ halfWritten, runs: [run({ state: 'running' })] })).toEqual([]);
    expect(said({ halfWritten, runs: [run({ state: 'interrupted', canResume: true })] })).toEqual([
      'now: Hut is half written › Look at the run',
      'soon: Restore boot: interrupted › Resume it',
    ]);
  });

  it('has of each phone and kind of run the last one, and none that is long past', () => {
    const failed = run({ id: 'old', state: 'failed' });
    expect(said({ runs: [failed] })).toEqual(['soon: Restore boot: failed › Look at the run']);
    expect(said({ runs: [run(), failed] })).toEqual([]);
    expect(said({ runs: [run({ serial: 'B2' }), failed] })).toHaveLength(1);
    expect(said({ runs: [run({ state: 'failed', startedAt: now - 8 * day })] })).toEqual([]);
  });

  it.each<[NeedFacts['shelf'], string]>([
    [{ ...nothing.shelf!, isLocked: true }, 'now: The larder is locked › Unlock it'],
    [{ ...nothing.shelf!, absence: 'Its disk is away.' }, 'now: The shelf is not there › Go to the larder'],
    [{ ...nothing.shelf!, freeBytes: 4 }, 'soon: The disk of the shelf is nearly full › Go to Order'],
  ])('of the shelf: %j', (shelf, words) => {
    expect(said({ shelf })).toEqual([words]);
  });

  it.each<[Partial<OffsiteNeeds>, string[]]>([
    [{ missing: 2 }, ['later: 2 sets and copies are not off-site yet › Go to Off-site']],
    [{ isLocked: true }, []],
    [{ isLocked: true, missing: 1 }, ['later: The off-site copy is locked › Go to Off-site']],
    [{ isAway: true }, []],
    [
      { copy: 'disk', isAway: true, missing: 1 },
      ['later: The disk of the copy on the second disk is away › Go to Off-site'],
    ],
    [{ copy: 'disk', missing: 1 }, ['later: 1 set or copy is not on the second disk yet › Go to Off-site']],
    [{ fault: 'It did not answer.' }, ['soon: The off-site copy › Go to Off-site']],
  ])('of the off-site copy: %j', (over, words) => {
    expect(said({ offsite: [{ ...nothing.offsite[0]!, ...over }] })).toEqual(words);
  });

  it('has phones that are due one by one while they are here, and together while they are away', () => {
    const due = 'kept 9 days ago';
    const phones = [
      phone({ due: 'its firmware changed since' }),
      phone({ serial: 'N', nickname: 'New', isNew: true }),
      phone({ serial: 'X', nickname: 'Desk', presence: 'away', due }),
      phone({ serial: 'Y', nickname: 'Kiosk', presence: 'away', due }),
      phone({ serial: 'Z', nickname: 'Loft', presence: 'away' }),
    ];
    expect(needs({ phones }).map(({ title, sentence }) => `${title}: ${sentence}`)).toEqual([
      'New was never kept: Keep it before anything is changed.',
      'Hut is due: It was kept before its firmware changed.',
      '2 phones away are due: Desk (kept 9 days ago) and Kiosk (kept 9 days ago).',
    ]);
    const many = ['a', 'b', 'c', 'd'].map((serial) => phone({ serial, nickname: serial, due }));
    expect(needs({ phones: many }).map(({ title }) => title)).toEqual(['4 phones here are due']);
  });
});
