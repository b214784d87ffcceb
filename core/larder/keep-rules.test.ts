import fc from 'fast-check';
import { expect, it } from 'vitest';
import { reasonText, ruleOn, usualKeepRules, type KeepReason, type RuledSet } from './keep-rules.ts';

const now = Date.UTC(2026, 10, 29);
const day = 86_400_000;
const set = (id: string, daysAgo: number, over: Partial<RuledSet> = {}): RuledSet => ({
  id,
  serial: 'TW3K-10482',
  createdAt: now - daysAgo * day,
  isSound: true,
  isPinned: false,
  isImported: false,
  verifiedAt: undefined,
  identity: [],
  jobNumber: undefined,
  whyInUse: undefined,
  ...over,
});
const reasonsOf = (sets: readonly RuledSet[], rules = usualKeepRules) =>
  Object.fromEntries(
    ruleOn(sets, () => rules, now).map(({ id, reasons }) => [id, reasons.map(({ is }) => is)]),
  );

it('keeps the newest of each phone, and the newest of each month', () => {
  const sets = [
    set('a', 1),
    set('b', 2),
    set('c', 30),
    set('d', 33),
    set('e', 40),
    set('f', 300),
    set('g', 400, { serial: 'TW5K-20316' }),
  ];
  expect(reasonsOf(sets, { newest: 2, months: 2 })).toEqual({
    a: ['newest', 'monthly'],
    b: ['newest'],
    c: ['monthly'],
    d: [],
    e: [],
    f: [],
    g: ['newest'],
  });
});

it('never lets go what is pinned, came as files, is in use, was verified last or has the last identity image', () => {
  const sets = [
    set('new', 1),
    set('pinned', 500, { isPinned: true }),
    set('imported', 510, { isImported: true }),
    set('used', 520, { whyInUse: 'A phone stands half written by it.' }),
    set('verified', 530, { verifiedAt: now - 3 * day }),
    set('verified before', 540, { verifiedAt: now - 4 * day }),
    set('identity', 550, { identity: ['efs', 'nvram'] }),
    set('identity before', 560, { identity: ['efs'] }),
  ];
  expect(reasonsOf(sets, { newest: 1, months: 0 })).toEqual({
    new: ['newest'],
    pinned: ['pinned'],
    imported: ['imported'],
    used: ['in use'],
    verified: ['last verified'],
    'verified before': [],
    identity: ['last identity image'],
    'identity before': [],
  });
});

it('does not count what is not whole, and keeps it while nothing newer is whole', () => {
  const broken = { isSound: false };
  const sets = [set('a', 1, broken), set('b', 2, broken), set('c', 3), set('d', 4, broken), set('e', 5)];
  expect(reasonsOf(sets, { newest: 1, months: 0 })).toEqual({
    a: ['newer than any sound one'],
    b: ['newer than any sound one'],
    c: ['newest'],
    d: [],
    e: [],
  });
});

it('goes by the rules of the phone', () => {
  const sets = [set('a', 1), set('b', 2), set('c', 1, { serial: 'X' }), set('d', 2, { serial: 'X' })];
  const rulings = ruleOn(sets, (serial) => ({ newest: serial === 'X' ? 2 : 1, months: 0 }), now);
  expect(rulings.map(({ reasons }) => reasons.length)).toEqual([1, 0, 1, 1]);
});

const aSet = fc.record({
  serial: fc.constantFrom('A', 'B'),
  daysAgo: fc.integer({ min: 0, max: 900 }),
  isSound: fc.boolean(),
  isPinned: fc.boolean(),
  verifiedAt: fc.option(fc.integer({ min: 1, max: now }), { nil: undefined }),
  identity: fc.subarray(['efs', 'nvram', 'persist']),
});
it('whatever there is, something of every phone stays: its newest, its last verified, each identity partition', () => {
  fc.assert(
    fc.property(fc.array(aSet, { maxLength: 25 }), fc.nat(4), fc.nat(12), (some, newest, months) => {
      const sets = some.map(({ daysAgo, ...over }, i) => set(`${i}`, daysAgo, over));
      const stays = new Set(
        ruleOn(sets, () => ({ newest, months }), now)
          .filter(({ reasons }) => reasons.length > 0)
          .map(({ id }) => id),
      );
      for (const serial of ['A', 'B']) {
        const own = sets.filter((each) => each.serial === serial);
        const kept = own.filter(({ id }) => stays.has(id));
        for (const partition of ['efs', 'nvram', 'persist'])
          expect(kept.some(({ identity }) => identity.includes(partition))).toBe(
            own.some(({ identity }) => identity.includes(partition)),
          );
        const isVerified = (each: RuledSet) => each.isSound && each.verifiedAt !== undefined;
        expect(kept.some(isVerified)).toBe(own.some(isVerified));
        const sound = own.filter(({ isSound }) => isSound);
        expect(kept.filter(({ isSound }) => isSound).length).toBeGreaterThanOrEqual(
          Math.min(newest, sound.length),
        );
      }
      for (const { id, isPinned } of sets) if (isPinned) expect(stays.has(id)).toBe(true);
    }),
  );
});

it('says why in a few words', () => {
  const all: KeepReason[] = [
    { is: 'pinned' },
    { is: 'newest' },
    { is: 'newer than any sound one' },
    { is: 'last verified' },
    { is: 'imported' },
    { is: 'monthly', month: '2026-11' },
    { is: 'last identity image', partitions: ['efs', 'nvram'] },
    { is: 'in use', why: 'It is being read now.' },
  ];
  expect(all.map(reasonText).join('; ')).toMatch(
    /the newest of 2026-11; has the last efs, nvram; It is being read now\.$/,
  );
});
