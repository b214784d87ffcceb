// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import { useNotices } from '../state/notices/notices.ts';
import { answering, button, last, onEmptyStage, run, set, show } from '../testing/stage.ts';
import LarderView from './larder/LarderView.vue';
import { useLarder } from '../state/larder.ts';

onEmptyStage();

it('does with several sets what is asked once, and says which it could not', async () => {
  const sets = ['one', 'two', 'three'].map((label, i) => set({ id: `s${i}`, label, createdAt: 10 - i }));
  const asked = answering({
    'GET /sets': sets,
    'GET /shelf': { freeBytes: 1, storedBytes: 1, imagedBytes: 1, name: 'Bench disk' },
    'POST /sets/verifying': run({ id: 'r1' }),
    'POST /sets/changing': { changed: ['s0'], refused: [{ label: 'two', why: 'This set is pinned.' }] },
  });
  await useLarder().load();
  const shown = await show(LarderView);
  await flushPromises();
  await button(shown, 'Pick several').trigger('click');
  const labels = shown.findAll('.cards li');
  await labels[0]!.find('input').setValue(true);
  // A click on its name picks as well, and does not open it.
  await labels[1]!.find('h2 a').trigger('click');
  expect(shown.find('[aria-label="Picked sets"]').text()).toContain('2 sets picked');
  await button(shown, 'Verify').trigger('click');
  await flushPromises();
  expect(last(asked, 'POST', '/sets/verifying')?.body).toEqual({ ids: ['s0', 's1'] });
  await button(shown, 'Into the bin').trigger('click');
  await flushPromises();
  expect(last(asked, 'POST', '/sets/changing')?.body).toEqual({ ids: ['s0', 's1'], binned: true });
  const said = useNotices().list.map(({ title, message }) => `${title}: ${message}`);
  expect(said.join('\n')).toMatch(/In the bin for 30 days: 1 set/);
  expect(said.join('\n')).toMatch(/1 set stayed as it was: two: This set is pinned\./);
  await button(shown, 'Pick all 3 shown').trigger('click');
  expect(shown.find('[aria-label="Picked sets"]').text()).toContain('3 sets picked');
  await button(shown, 'Done').trigger('click');
  expect(shown.find('[aria-label="Picked sets"]').exists()).toBe(false);
});
