// @vitest-environment happy-dom
import { expect, it } from 'vitest';
import type { ShelfView } from '@keen-larder/contract/sets.ts';
import { useLarder } from '../state/larder.ts';
import { answering, button, last, onEmptyStage, run, show } from '../testing/stage.ts';
import ShelfBar from './ShelfBar.vue';

onEmptyStage();

async function bar(over: Partial<ShelfView>) {
  const shelf: ShelfView = {
    dueDays: 7,
    name: 'Bench disk',
    path: '/x',
    freeBytes: 1 << 30,
    totalBytes: 1 << 31,
    storedBytes: 3,
    freedBytes: 0,
    imagedBytes: 4,
    setCount: 2,
    seal: 'none',
    absence: undefined,
    doubts: [],
    ...over,
  };
  const asked = answering({ 'GET /sets': [], 'GET /shelf': shelf, 'POST /rebuilding': run({ id: 'r9' }) });
  await useLarder().load();
  return { shown: await show(ShelfBar), asked };
}

it('is not there where all is well', async () => {
  expect((await bar({})).shown.text()).toBe('');
});

it('says that the shelf is away, and looks again', async () => {
  const { shown, asked } = await bar({ absence: 'The shelf in /x is not there. Connect its disk.' });
  expect(shown.find('[role=alert]').text()).toMatch(
    /is not there. Connect its disk. Until then nothing can be kept/,
  );
  asked.length = 0;
  await button(shown, 'Look again').trigger('click');
  expect(last(asked, 'GET', '/shelf')).toBeDefined();
});

it('says that the disk is full', async () => {
  expect((await bar({ freeBytes: 3 << 20 })).shown.text()).toMatch(/is full: 3 MiB free. .*Empty the bin/);
});

it('says why nothing is deleted, and rebuilds', async () => {
  const { shown, asked } = await bar({ doubts: ['The catalogue is older than the shelf.'] });
  expect(shown.text()).toMatch(/Nothing is deleted from the shelf for now. The catalogue is older/);
  await button(shown, 'Rebuild the catalogue').trigger('click');
  expect(last(asked, 'POST', '/rebuilding')).toBeDefined();
});
