// Job cards: what is done with a phone while its card is open joins it by itself.
import { readdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { keepSet, openOn, serial, startKnot3, testFolder, toRecovery } from '../../testing/bench.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { Problem } from '../failures.ts';
import { inNameOf } from '../people/acting.ts';

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

/** The smallest picture there is: one pixel, PNG. */
const pixel = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg==',
  'base64',
);

it('has files and photos, told by what they are and not by what they are called', () => {
  const card = app.jobs.addFile(id, 'crack.txt', pixel);
  const [photo] = card.files;
  expect(photo).toMatchObject({ name: 'crack.txt', bytes: pixel.length, isPicture: true, by: undefined });
  expect(app.jobFiles.read(id, photo!.id)).toEqual({ name: 'crack.txt', content: pixel, type: 'image/png' });
  const page = Buffer.from('<script>alert(1)</script>');
  const { files } = inNameOf('Bench two', () => app.jobs.addFile(id, 'photo.png', page));
  expect(files[1]).toMatchObject({ name: 'photo.png', isPicture: false, by: 'Bench two' });
  expect(() => app.jobs.addFile(id, 'empty', Buffer.alloc(0))).toThrow('empty is empty');
  expect(() => app.jobFiles.read('another card', photo!.id)).toThrow(/no such file/);
  expect(app.jobs.removeFile(id, photo!.id).files).toHaveLength(1);
  expect(() => app.jobs.removeFile(id, photo!.id)).toThrow(/no such file/);
  for (let i = 0; i < 59; i++) app.jobs.addFile(id, `${i}`, page);
  expect(() => app.jobs.addFile(id, 'one more', page)).toThrow(/room for 60 files/);
  app.jobFiles.shred(['another card']);
  expect(app.jobs.detail(id).files).toHaveLength(60);
  app.jobFiles.shred([id]);
  expect(app.jobs.detail(id).files).toEqual([]);
});

it('keeps its runs when old ones are cleared', () => {
  const titles = () => app.engine.list().map(({ title }) => title);
  expect(titles()).toHaveLength(3);
  app.jobs.change(id, { stage: 'handed over' });
  expect(app.engine.clear(app.now() + 1, app.jobs.belonging())).toBe(1);
  expect(titles().join()).not.toContain('Before the card');
  expect(app.engine.clear(app.now() + 1, () => false)).toBe(2);
});

it('loses no photo to a catalogue that was lost', async () => {
  app.jobs.addFile(id, 'crack.png', pixel);
  await app.close();
  const home = `${folder.path}/larder`;
  for (const name of readdirSync(home).filter((each) => each.startsWith('catalogue.sqlite')))
    rmSync(join(home, name));
  for (const name of readdirSync(join(home, 'shelf')).filter((each) => each.startsWith('catalogue')))
    rmSync(join(home, 'shelf', name), { recursive: true });
  app = await openOn(home, bench);
  expect(app.jobs.list()).toEqual([]);
  expect(app.jobFiles.of(id).map(({ name }) => name)).toEqual(['crack.png']);
});
