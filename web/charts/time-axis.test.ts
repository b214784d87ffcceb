// @vitest-environment happy-dom
import { expect, it } from 'vitest';
import type { AxisEvent } from '@keen-larder/core/larder/time-axis.ts';
import { onEmptyStage, show } from '../testing/stage.ts';
import TimeAxis from './TimeAxis.vue';

onEmptyStage();

const day = 86_400_000;
const now = Date.UTC(2026, 10, 29);
const event = (id: string, daysAgo: number, over: Partial<AxisEvent> = {}): AxisEvent => ({
  id,
  serial: 'A',
  at: now - daysAgo * day,
  kind: 'set',
  title: id,
  ...over,
});
const axis = (events: readonly AxisEvent[], more: Record<string, unknown> = {}) =>
  show(TimeAxis, {
    events,
    conditions: [
      { serial: 'A', at: now - 200 * day, kind: 'stock' },
      { serial: 'A', at: now - 20 * day, kind: 'rooted' },
    ],
    nameOf: (serial: string) => `phone ${serial}`,
    now,
    chosen: undefined,
    ...more,
  });

it('draws a lane for each phone: its condition, sets, copies and runs', async () => {
  const shown = await axis([
    event('old', 200),
    event('new', 1),
    event('copied', 90, { kind: 'copy' }),
    event('put back', 60, { kind: 'run' }),
    event('other', 3, { serial: 'B' }),
  ]);
  expect(shown.findAll('.name').map((each) => each.text())).toEqual(['phone A', 'phone B']);
  expect(shown.findAll('.span').map((each) => each.classes().at(-1))).toEqual(['stock', 'rooted']);
  expect(['set', 'copy', 'run'].map((kind) => shown.findAll(`.mark.${kind}`).length)).toEqual([3, 1, 1]);
  expect(shown.find('.mark.copy title').text()).toMatch(/^phone A: copied, /);
});

it('draws thousands of events as few marks, and none that is out of sight', async () => {
  const events = Array.from({ length: 10_000 }, (_, i) =>
    event(`${i}`, (i % 700) + 1, { serial: `P${i % 300}` }),
  );
  const shown = await axis(events);
  expect(shown.findAll('.name').length).toBeLessThan(15);
  expect(shown.findAll('.mark').length).toBeLessThan(150);
});

it('is gone along by keys, which open what they come to', async () => {
  const shown = await axis([event('old', 200), event('new', 1), event('other', 3, { serial: 'B' })]);
  const press = (key: string) => shown.trigger('keydown', { key });
  const said = () => shown.find('[role="status"]').text();
  await press('ArrowRight');
  expect(said()).toMatch(/^phone A: old/);
  await press('ArrowRight');
  expect(said()).toMatch(/^phone A: new/);
  await press('ArrowDown');
  expect(said()).toMatch(/^phone B: other/);
  await press('Enter');
  expect(shown.emitted('open')).toEqual([[expect.objectContaining({ id: 'other' })]]);
  await press('Escape');
  expect(shown.emitted('choose')).toEqual([[undefined]]);
});

it('opens marks of several by coming nearer, and one by opening it', async () => {
  const shown = await axis([event('a', 100), event('b', 100.001), event('c', 1)]);
  const marks = () => shown.findAll('.mark.set');
  expect(marks()[0]!.find('.count').text()).toBe('2');
  await marks()[0]!.trigger('click');
  expect(shown.emitted('open')).toBeUndefined();
  expect(marks().length).toBe(2);
  await marks()[0]!.trigger('click');
  expect(shown.emitted('open')).toHaveLength(1);
});

it('says which time was chosen, and takes it back', async () => {
  const shown = await axis([event('a', 100), event('c', 1)], { chosen: [now - 50 * day, now] });
  expect(shown.find('.brush').exists()).toBe(true);
  await shown.find('[role="status"] a').trigger('click');
  expect(shown.emitted('choose')).toEqual([[undefined]]);
});
