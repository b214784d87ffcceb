// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import type { OrderedSet, OrderView } from '@keen-larder/contract/order.ts';
import { useNotices } from '../state/notices/notices.ts';
import { answering, button, last, onEmptyStage, set, show } from '../testing/stage.ts';
import OrderPage from './larder/order/OrderPage.vue';
import SetPage from './larder/SetPage.vue';

onEmptyStage();

const ordered = (id: string, over: Partial<OrderedSet> = {}): OrderedSet => ({
  id,
  label: `set ${id}`,
  serial: 'TW3K-10482',
  nickname: 'Ringing hut',
  createdAt: 0,
  bytes: 1 << 20,
  pinned: false,
  reasons: [],
  ...over,
});
const view: OrderView = {
  rules: { newest: 3, months: 6 },
  exceptions: [],
  sets: [ordered('a', { reasons: ['one of the newest'] }), ordered('b'), ordered('c')],
};
const answers = {
  'GET /order': view,
  'GET /order/room': { bytes: 3 << 20 },
  'GET /order/schedule': { rhythm: 'never' },
  'GET /scrub': {
    days: 30,
    oldestAt: 0,
    dueBytes: 2 << 20,
    damagedChunks: 1,
    findings: [
      { at: 5, chunks: 1, sets: [{ id: 'b', label: 'Second' }], copyCount: 0 },
      { at: 4, chunks: 2, sets: [], copyCount: 1, goodAt: 6 },
    ],
  },
  'GET /sets': [],
  'GET /shelf': {},
};

async function order(more: Record<string, unknown> = {}) {
  const asked = answering({ ...answers, ...more });
  const shown = await show(OrderPage);
  await flushPromises();
  await flushPromises();
  return { asked, shown };
}

it('shows what would go, what stays and why, and the room', async () => {
  const { shown } = await order();
  expect(shown.find('[aria-label="What would go"]').text()).toMatch(
    /2 of 3 sets would go.*3 MiB.*set b.*set c/s,
  );
  expect(shown.find('[aria-label="What stays"]').text()).toMatch(/1 stays\s*set a.*one of the newest/s);
  expect(shown.find('[aria-label="Reading again"]').text()).toMatch(
    /within 30 days.*2 MiB are due.*1 chunk is damaged.*1 chunk damaged\s+in Second\. Not repaired yet\..*2 chunks damaged\s+in 1 copy\. Whole again since/s,
  );
});

it('lets go what is ticked, and takes it back', async () => {
  let now = view;
  const { shown, asked } = await order({
    'GET /order': () => now,
    'POST /order': () => (now = { ...view, sets: [view.sets[0]!] }),
    'PATCH /sets/c': set({ id: 'c' }),
  });
  await shown.find('input[aria-label="Let set b go"]').setValue(false);
  await button(shown, /Put 1\s+set\s+into the bin/).trigger('click');
  await flushPromises();
  expect(last(asked, 'POST', '/order')?.body).toEqual({ ids: ['c'] });
  expect(shown.text()).toMatch(/Nothing would go/);
  const notice = useNotices().list.at(-1)!;
  expect(notice.title).toBe('In the bin for 30 days');
  notice.action!.run();
  await flushPromises();
  expect(last(asked, 'PATCH', '/sets/c')?.body).toEqual({ binned: false });
});

it('changes the rules of one phone, and drops them again', async () => {
  const exceptions = [{ serial: 'TW3K-10482', nickname: 'Ringing hut', rules: { newest: 1, months: 0 } }];
  const { shown, asked } = await order({ 'GET /order': { ...view, exceptions }, 'PUT /order/rules': view });
  expect(shown.text()).not.toMatch(/As for every phone/);
  await shown.findComponent({ name: 'ElSelect' }).setValue('TW3K-10482');
  await button(shown, 'As for every phone').trigger('click');
  await flushPromises();
  expect(last(asked, 'PUT', '/order/rules')?.body).toEqual({ serial: 'TW3K-10482' });
});

it('a pinned set cannot be deleted until its pin is off', async () => {
  const asked = answering({
    'GET /sets/s1': set({ pinned: true }),
    'PATCH /sets/s1': set({ pinned: false }),
  });
  const shown = await show(SetPage, { id: 's1' });
  expect(button(shown, /Delete/).attributes('disabled')).toBeDefined();
  await button(shown, /Take the pin off/).trigger('click');
  await flushPromises();
  expect(last(asked, 'PATCH', '/sets/s1')?.body).toEqual({ pinned: false });
  expect(button(shown, /Delete/).attributes('disabled')).toBeUndefined();
});

it('says when the rules are carried out by themselves, and changes that', async () => {
  const { shown, asked } = await order({
    'PUT /order/schedule': { rhythm: 'week', nextAt: new Date(2026, 10, 30, 3).getTime() },
  });
  const when = shown
    .findAllComponents({ name: 'ElSelect' })
    .find((each) => /carried out/.test(each.attributes('aria-label') ?? each.html()))!;
  expect(shown.find('.times').text()).not.toMatch(/next on/);
  when.vm.$emit('change', 'week');
  await flushPromises();
  expect(last(asked, 'PUT', '/order/schedule')?.body).toEqual({ rhythm: 'week' });
  expect(shown.find('.times').text()).toMatch(/next on Mon, 30 Nov 2026, 03:00:00: what would go/);
});
