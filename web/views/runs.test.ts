// @vitest-environment happy-dom
// The list of runs: found by kind, phone, outcome and words, and cleared of what is old.
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import { useNotices } from '../state/notices/notices.ts';
import { useRuns } from '../state/runs.ts';
import { answering, button, last, onEmptyStage, run, show } from '../testing/stage.ts';
import RunsView from './runs/RunsView.vue';

onEmptyStage();

const day = 86_400_000;
const noon = new Date(2026, 10, 24, 12).getTime();
const past = { state: 'done', outcome: 'All of it.', doneBytes: 400 } as const;

function fill(): void {
  const runs = useRuns();
  runs.take(
    run({ ...past, id: 'a', title: 'Keep boot', startedAt: noon, endedAt: noon + 1000, by: 'Bench two' }),
  );
  runs.take(
    run({
      ...past,
      id: 'b',
      kind: 'restoring',
      title: 'Put boot back',
      state: 'failed',
      startedAt: noon - day,
      endedAt: noon,
    }),
  );
  runs.take(
    run({
      ...past,
      id: 'c',
      kind: 'verifying',
      title: 'Verify',
      serial: undefined,
      nickname: undefined,
      doneBytes: 0,
      startedAt: noon - day,
      endedAt: noon,
    }),
  );
  runs.loaded = true;
}

it('is by day, and is filtered from its address', async () => {
  fill();
  const shown = await show(RunsView, {}, '/runs');
  const titles = (of = shown) => of.findAll('.what a').map((each) => each.text());
  expect(shown.findAll('section').map((each) => each.attributes('aria-label'))).toEqual([
    '24 Nov 2026',
    '23 Nov 2026',
  ]);
  expect(titles()).toEqual(['Keep boot', 'Put boot back', 'Verify']);
  expect(shown.text()).not.toMatch(/\b0 B/);
  await shown.find('[aria-label="Filter the runs"]').setValue('bench');
  await flushPromises();
  expect(titles()).toEqual(['Keep boot']);
  expect(shown.find('[role=status]').text()).toContain('1 of 3 runs');
  await shown.find('[role=status] a').trigger('click');
  await flushPromises();
  expect(titles()).toHaveLength(3);
  expect(titles(await show(RunsView, {}, '/runs?kind=verifying'))).toEqual(['Verify']);
  expect(titles(await show(RunsView, {}, '/runs?outcome=not complete, failed or interrupted'))).toEqual([
    'Put boot back',
  ]);
  expect(titles(await show(RunsView, {}, '/runs?phone=none'))).toEqual([]);
});

it('clears what is old once one has said so', async () => {
  const asked = answering({ 'DELETE /runs': { cleared: 2 }, 'GET /runs': [] });
  fill();
  const shown = await show(RunsView, {}, '/runs');
  await button(shown, 'Clear old runs…').trigger('click');
  expect(last(asked, 'DELETE', '/runs')).toBeUndefined();
  await button(shown, 'Clear them').trigger('click');
  await flushPromises();
  expect(last(asked, 'DELETE', '/runs')?.body).toEqual({ days: 90 });
  expect(useNotices().list.at(-1)).toMatchObject({ title: '2 runs cleared' });
});
