// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import { useLarder } from '../state/larder.ts';
import { answering, button, facts, last, onEmptyStage, phone, run, set, show } from '../testing/stage.ts';
import ErasePhone from './bench/ErasePhone.vue';
import BayCard from '../frame/BayCard.vue';
import PhonePast from './bench/PhonePast.vue';
import OrderPage from './larder/order/OrderPage.vue';

onEmptyStage();

const day = 86_400_000;
const old = set({ id: 'a', label: 'Long ago', createdAt: Date.now() - 30 * day });
const recent = set({ id: 'b', label: 'Lately', createdAt: Date.now() - 9 * day });
const other = set({ id: 'c', label: 'Of another', serial: 'MR2Q-44107', createdAt: Date.now() - day });
const answers = {
  'GET /sets': [recent, old, other],
  'GET /shelf': { dueDays: 7 },
  'GET /copies': [],
  'GET /records': [],
};

it('shows what was kept of one phone, also while it is away', async () => {
  answering(answers);
  await useLarder().load();
  const shown = await show(PhonePast, { phone: phone({ presence: 'away' }) });
  expect(shown.findAll('.label h2').map((each) => each.text())).toEqual(['Lately', 'Long ago']);
  const none = await show(PhonePast, { phone: phone({ serial: 'TW5K-20316' }) });
  expect(none.text()).toContain('Nothing of this phone is kept yet');
});

it('says on the rail that a phone is due, and why', async () => {
  answering(answers);
  await useLarder().load();
  const textOf = async (over: Parameters<typeof phone>[0]) =>
    (await show(BayCard, { phone: phone(over) })).find('.due').element?.textContent;
  expect(await textOf({})).toBe('Due: kept 9 days ago');
  const condition = { ...facts.condition, build: 'TideOS 9 TW3.260401.001' };
  expect(await textOf({ facts: { ...facts, condition } })).toBe('Due: its firmware changed since');
  const card = await show(BayCard, { phone: phone({ serial: 'MR2Q-44107', presence: 'away' }) });
  expect(card.find('.due').exists()).toBe(false);
});

it('takes another number of days', async () => {
  const asked = answering({
    ...answers,
    'GET /order': { rules: { newest: 3, months: 6 }, exceptions: [], sets: [] },
    'GET /order/room': { bytes: 0 },
    'GET /order/schedule': { rhythm: 'never' },
    'GET /scrub': { days: 30, oldestAt: undefined, dueBytes: 0, damagedChunks: 0, findings: [] },
    'PUT /order/due': { dueDays: 14 },
  });
  await useLarder().load();
  const shown = await show(OrderPage);
  await flushPromises();
  const field = shown.find('input[aria-label="Days until a phone is due"]');
  await field.setValue('14');
  await field.trigger('change');
  await flushPromises();
  expect(last(asked, 'PUT', '/order/due')?.body).toEqual({ days: 14 });
});

it('erases only what was read and armed', async () => {
  const view = {
    ...{ serial: 'TW3K-10482', nickname: 'Ringing hut', sets: 2, copies: 1, runs: 3, exports: ['Before'] },
    ...{ ownBytes: 3 << 20, sharedBytes: 1 << 20, offsite: 'open', hindrances: ['Disconnect it first.'] },
  };
  let now = view;
  const asked = answering({
    'GET /phones/TW3K-10482/erasing': () => now,
    'POST /phones/TW3K-10482/erasing': run({ id: 'r1' }),
  });
  const shown = await show(ErasePhone, { phone: phone({ presence: 'away' }) });
  await button(shown, /Erase everything/).trigger('click');
  await flushPromises();
  expect(shown.text()).toMatch(
    /2 sets, 1\s+copy of apps and records.*3 MiB.*1 MiB stay.*Disconnect it first/s,
  );
  expect(shown.find('input').exists()).toBe(false);
  now = { ...view, hindrances: [] };
  const again = await show(ErasePhone, { phone: phone({ presence: 'away' }) });
  await button(again, /Erase everything/).trigger('click');
  await flushPromises();
  expect(button(again, 'Erase it').attributes('disabled')).toBeDefined();
  await again.find('input').setValue('0482');
  await again.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'POST', '/phones/TW3K-10482/erasing')?.body).toEqual({ armedWith: '0482' });
});
