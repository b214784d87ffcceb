// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import type { ExportsView } from '@keen-larder/contract/larder/exports.ts';
import { answering, button, last, onEmptyStage, show } from '../testing/stage.ts';
import ExportsPage from './larder/exports/ExportsPage.vue';

onEmptyStage();

const view: ExportsView = {
  places: [
    { path: '/home/bench/exports', name: 'Exports of this computer', kind: 'home', freeBytes: 5 << 20 },
    { path: '/media/bench/blue', name: 'blue', kind: 'drive', freeBytes: 3 << 20 },
  ],
  exports: [
    {
      ...{ id: 'e1', path: '/media/bench/blue/Before', label: 'Before', nickname: 'Ringing hut' },
      ...{ madeAt: 1000, bytes: 2 << 20, fileCount: 4, isSealed: true, isThere: true },
    },
    {
      ...{ id: 'e2', path: '/media/bench/red/Older', label: 'Older', nickname: 'Ringing hut' },
      ...{ madeAt: 900, bytes: 1 << 20, fileCount: 1, isSealed: false, isThere: false },
    },
  ],
};

it('lists where exports may go and what was made, and removes after a second word', async () => {
  const left = { ...view, exports: view.exports.slice(1) };
  const asked = answering({ 'GET /exports': view, 'DELETE /exports/e1': left });
  const shown = await show(ExportsPage);
  await flushPromises();
  expect(shown.find('[aria-label="Places"]').text()).toMatch(/blue.*3(\.0+)? MiB free/s);
  const rows = shown.findAll('[aria-label="Exports that were made"] tr');
  expect(rows[0]!.find('[aria-label="Sealed"]').exists()).toBe(true);
  expect(rows[1]!.text()).toContain('not there now');
  await button(shown, 'Remove…').trigger('click');
  expect(last(asked, 'DELETE', '/exports/e1')).toBeUndefined();
  await button(shown, 'Remove its files').trigger('click');
  await flushPromises();
  expect(last(asked, 'DELETE', '/exports/e1')).toBeDefined();
  expect(shown.findAll('[aria-label="Exports that were made"] tr')).toHaveLength(1);
});
