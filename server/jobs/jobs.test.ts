// Job cards: what is done with a phone while its card is open joins it by itself.
import { afterAll, beforeAll, expect, it } from 'vitest';
import { keepSet, openOn, serial, startKnot3, testFolder, toRecovery } from '../../testing/bench.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { Problem } from '../failures.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let app: KeenLarder;
let id: string;

beforeAll(async () => {
  bench = await startKnot3(`${folder.path}/phones`);
  app = await openOn(`${folder.path}/larder`, bench);
  await toRecovery(app, bench.phone);
});
afterAll(async () => {
  await app.close();
  await bench.close();
  folder.remove();
});

const draft = {
  ...{
    who: 'Ringing hut',
    contact: 'by post',
    complaint: 'Restarts.',
    arrival: 'a crack',
    accessories: 'case',
  },
  agreed: { keepFirst: true, mayLose: false, mayLook: false },
};

it('is opened for phones that are known, each on one open card', async () => {
  await keepSet(app, 'Before the card', ['boot']);
  const card = app.jobs.open({ ...draft, serials: [serial] });
  ({ id } = card);
  expect(card).toMatchObject({ ...draft, number: 1, stage: 'received', sets: [], handedOverAt: undefined });
  expect(card.phones.map((phone) => phone.serial)).toEqual([serial]);
  expect(card.beforeHandingOver).toEqual(['It was agreed to keep what is on it first; nothing was kept.']);
  expect(() => app.jobs.open({ ...draft, serials: [serial] })).toThrow(/on the open job card 1\./);
  expect(() => app.jobs.open({ ...draft, serials: ['NOBODY'] })).toThrow(Problem);
});

it('has what was done since, and is as far as that', async () => {
  await keepSet(app, 'While it is here', ['boot', 'efs']);
  const card = app.jobs.detail(id);
  expect(card).toMatchObject({ stage: 'kept', beforeHandingOver: [] });
  expect(card.sets.map(({ label }) => label)).toEqual(['While it is here']);
  expect(card.runs.map(({ kind, state }) => [kind, state])).toEqual([['imaging', 'done']]);
  expect(app.jobs.note(id, '  Asked for the PIN. ').notes.map(({ text }) => text)).toEqual([
    'Asked for the PIN.',
  ]);
  expect(app.jobs.change(id, { contact: 'by phone' })).toMatchObject({
    contact: 'by phone',
    who: 'Ringing hut',
  });
});

it('keeps its sets from the rules until it is handed over', () => {
  const reasons = () =>
    app.order.view().sets.map((set) => set.reasons.includes('its phone is on job card 1'));
  expect(reasons()).toEqual([true, true]);
  const card = app.jobs.change(id, { stage: 'handed over' });
  expect(card).toMatchObject({ stage: 'handed over', done: 'kept' });
  expect(card.handedOverAt).toBeGreaterThanOrEqual(card.openedAt);
  expect(reasons()).toEqual([false, false]);
});

it('has nothing of what came later, and is opened again only while its phone is on no other card', async () => {
  await keepSet(app, 'At the next visit', ['boot']);
  expect(app.jobs.detail(id).sets).toHaveLength(1);
  const next = app.jobs.open({ ...draft, who: 'East wall', serials: [serial] });
  expect(next.number).toBe(2);
  expect(() => app.jobs.change(id, { stage: 'received' })).toThrow(/on the open job card 2\./);
  app.jobs.change(next.id, { stage: 'handed over' });
  expect(app.jobs.change(id, { stage: 'received' })).toMatchObject({
    stage: 'kept',
    handedOverAt: undefined,
  });
  expect(app.jobs.list().map(({ number, stage }) => [number, stage])).toEqual([
    [2, 'handed over'],
    [1, 'kept'],
  ]);
});

it('keeps its runs when old ones are cleared', () => {
  const titles = () => app.engine.list().map(({ title }) => title);
  expect(titles()).toHaveLength(3);
  app.jobs.change(id, { stage: 'handed over' });
  expect(app.engine.clear(app.now() + 1, (run) => app.jobs.has(run))).toBe(1);
  expect(titles().join()).not.toContain('Before the card');
  expect(app.engine.clear(app.now() + 1, () => false)).toBe(2);
});
