// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import { useBench } from '../state/bench.ts';
import { useLarder } from '../state/larder.ts';
import { useRuns } from '../state/runs.ts';
import { answering, onEmptyStage, phone, run, serial, set, show } from '../testing/stage.ts';
import BenchView from './bench/BenchView.vue';
import BenchOverview from './bench/BenchOverview.vue';

onEmptyStage();

const bucket = {
  ...{ copy: 'bucket', state: 'open', keptCount: 3, offsiteCount: 1, isAway: false, since: {}, alone: [] },
};
const offsite = { bucket, disk: { ...bucket, copy: 'disk', state: 'off' } };

async function overview(halfWritten: unknown[] = []) {
  answering({ 'GET /half-written': halfWritten, 'GET /offsite': offsite, 'GET /runs': [] });
  useBench().loaded = true;
  useRuns().loaded = true;
  useLarder().loaded = true;
  const shown = await show(BenchOverview);
  await flushPromises();
  return shown;
}

it('shows what needs hands, the most urgent first, and leads to it', async () => {
  useBench().take(phone({ nickname: 'Hut', newestSetAt: undefined }));
  useBench().take(phone({ serial: 'B2', nickname: 'Shed', presence: 'looping' }));
  useRuns().take(
    run({ id: 'r9', title: 'Restore boot', serial: 'B2', state: 'interrupted', startedAt: Date.now() }),
  );
  useLarder().all = [set({ id: 's1', label: 'Before', damaged: true })];
  const shown = await overview([{ serial, partitions: ['system'], runId: 'gone' }]);
  const needs = shown
    .findAll('[data-need]')
    .map((each) => [
      each.find('strong').text(),
      each.find('[role=img]').attributes('aria-label'),
      each.find('a').attributes('href'),
    ]);
  expect(needs).toEqual([
    ['Hut is half written', 'at once', '/runs/gone'],
    ['Shed does not start', 'at once', '/bench/B2/rescue'],
    ['Restore boot: interrupted', 'today', '/runs/r9'],
    ['“Before” is damaged', 'today', '/larder/sets/s1'],
    ['Hut was never kept', 'when there is time', `/bench/${serial}`],
    ['2 sets and copies are not off-site yet', 'when there is time', '/larder/off-site'],
  ]);
});

it('says so where nothing does', async () => {
  useBench().take(phone({ presence: 'away' }));
  const shown = await overview();
  expect(shown.text()).toMatch(/2 sets and copies are not off-site/);
  expect(shown.text()).toMatch(/No phone is here now/);
});

it('is what the bench shows without a phone, and the bench remembers the phone that one was on', async () => {
  answering({
    'GET /half-written': [],
    'GET /offsite': { ...offsite, bucket: { ...bucket, offsiteCount: 3 } },
  });
  const bench = useBench();
  bench.take(phone({ presence: 'away' }));
  bench.loaded = true;
  useRuns().loaded = true;
  await show(BenchView, { serial });
  expect(bench.last).toBe(serial);
  const shown = await show(BenchView);
  await expect.poll(() => shown.text()).toMatch(/What needs hands/);
  await expect.poll(() => shown.text()).toMatch(/Nothing now/);
});
