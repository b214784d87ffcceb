// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { ElOption, ElSelect } from 'element-plus';
import { expect, it } from 'vitest';
import type { OffsiteView } from '@keen-larder/contract/larder/offsite.ts';
import { answering, button, last, onEmptyStage, run, serial, set, show } from '../testing/stage.ts';
import MoveSets from './larder/offsite/MoveSets.vue';
import OffsitePage from './larder/offsite/OffsitePage.vue';

onEmptyStage();

const open: OffsiteView = {
  copy: 'bucket',
  state: 'open',
  place: 'larder at bucket.example',
  isAway: false,
  benchName: 'Front bench',
  keptCount: 3,
  offsiteCount: 2,
  comparedAt: 1000,
  fault: undefined,
  since: {},
  alone: [],
  bytesPerSecond: undefined,
  hours: undefined,
};
const off: OffsiteView = { ...open, state: 'off', place: undefined, benchName: undefined };

const noDisk: OffsiteView = { ...off, copy: 'disk' };

async function page(bucket: OffsiteView, more: Record<string, unknown> = {}, disk = noDisk) {
  const asked = answering({ 'GET /offsite': { bucket, disk }, ...more });
  const shown = await show(OffsitePage);
  await flushPromises();
  return { asked, shown };
}

it('takes a bucket into use, and shows the recovery key once', async () => {
  const { shown, asked } = await page(off, {
    'PUT /offsite': { view: open, recoveryKey: 'ABCD-EFGH' },
  });
  await shown.find('[aria-label="In a bucket"]').find('button').trigger('click');
  const write = (label: string, text: string) => shown.find(`input[aria-label="${label}"]`).setValue(text);
  await write('Address of the service', 'https://bucket.example');
  await write('Bucket', 'larder');
  await write('This bench', 'Front bench');
  await write('Passphrase', 'quinces in the dark');
  await write('Passphrase once more', 'quinces in the light');
  await shown.find('form').trigger('submit');
  expect(shown.text()).toContain('not written the same way twice');
  expect(last(asked, 'PUT', '/offsite')).toBeUndefined();
  await write('Passphrase once more', 'quinces in the dark');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'PUT', '/offsite')?.body).toEqual({
    place: { region: 'us-east-1', bucket: 'larder', prefix: '', endpoint: 'https://bucket.example' },
    passphrase: 'quinces in the dark',
    benchName: 'Front bench',
  });
  expect(shown.find('[aria-label="Recovery key"]').text()).toContain('ABCD-EFGH');
  await button(shown, 'It is on paper').trigger('click');
  expect(shown.text()).not.toContain('ABCD-EFGH');
  expect(shown.text()).toMatch(/2 of 3\s+sets and copies are in\s+larder at bucket\.example/);
});

it('takes a folder on another disk into use, and says when that is not plugged in', async () => {
  const places = [
    { path: '/home/exports', name: 'Exports of this computer', kind: 'home', freeBytes: 1 },
    { path: '/media/disk', name: 'disk', kind: 'drive', freeBytes: 1 << 30 },
  ];
  const away: OffsiteView = {
    ...{ ...open, copy: 'disk', place: 'the folder /media/disk/keen-larder-copy', isAway: true },
  };
  const { shown, asked } = await page(off, {
    'GET /exports': { places, exports: [] },
    'PUT /offsite': { view: away, recoveryKey: undefined },
  });
  await shown.find('[aria-label="On a second disk"]').find('button').trigger('click');
  await flushPromises();
  expect(shown.find('input[aria-label="Bucket"]').exists()).toBe(false);
  const write = (label: string, text: string) => shown.find(`input[aria-label="${label}"]`).setValue(text);
  await write('This bench', 'Front bench');
  await write('Passphrase', 'quinces in the dark');
  await write('Passphrase once more', 'quinces in the dark');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'PUT', '/offsite')?.body).toEqual({
    folder: '/media/disk',
    passphrase: 'quinces in the dark',
    benchName: 'Front bench',
  });
  expect(shown.find('[role=status]').text()).toMatch(/disk is not plugged in/);
  expect(button(shown, /Copy what is missing/).attributes('disabled')).toBeDefined();
});

it('asks for the passphrase after a start, and forgets what was typed', async () => {
  const { shown, asked } = await page(
    { ...open, state: 'locked' },
    { 'POST /offsite/bucket/unlocking': open },
  );
  await shown.find('input').setValue('quinces in the dark');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'POST', '/offsite/bucket/unlocking')?.body).toEqual({
    passphrase: 'quinces in the dark',
  });
  expect(shown.html()).not.toContain('quinces in the dark');
});

it('sends what is missing, says what went wrong, and fetches what others have', async () => {
  const thing = {
    ...{
      bench: 'b',
      kind: 'sets',
      id: 's',
      name: '“Of the back”',
      nickname: 'Lamp',
      createdAt: 0,
      bytes: 1 << 20,
    },
    benchName: 'Back bench',
  };
  const { shown, asked } = await page(
    { ...open, fault: 'the bucket did not answer' },
    {
      'GET /offsite/bucket/elsewhere': [thing],
      'POST /offsite/bucket/copying': run({ id: 'r1' }),
      'POST /offsite/bucket/fetching': run({ id: 'r2' }),
      'PUT /offsite/bucket/limits': { ...open, hours: [20, 7] },
    },
  );
  expect(shown.find('[role="alert"]').text()).toBe('the bucket did not answer');
  await shown.find('input[aria-label="Only at some hours"]').setValue(true);
  await flushPromises();
  expect(last(asked, 'PUT', '/offsite/bucket/limits')?.body).toEqual({ hours: [20, 7] });
  expect(shown.text()).toMatch(/from\s.*to\s.*o’clock/s);
  await button(shown, 'Look into the copy').trigger('click');
  await flushPromises();
  expect(shown.text()).toMatch(/“Of the back”\s*Lamp · .* kept by “Back bench”.*1 MiB/s);
  await button(shown, 'Fetch').trigger('click');
  await flushPromises();
  expect(last(asked, 'POST', '/offsite/bucket/fetching')?.body).toEqual({
    things: [{ bench: 'b', kind: 'sets', id: 's' }],
  });
});

it('lists what lies in a copy alone, fetches it, and gives it up only when asked twice', async () => {
  const moved = { copy: 'disk', bench: 'b', id: 's1', label: 'Before', serial, nickname: 'Hut' } as const;
  const alone = [{ ...moved, createdAt: 0, bytes: 1 << 20, since: 1 }];
  const disk: OffsiteView = { ...open, copy: 'disk', place: 'the folder /media/disk', alone };
  const { shown, asked } = await page(
    off,
    {
      'POST /offsite/disk/fetching': run({ id: 'r3' }),
      'DELETE /offsite/disk/alone/s1': { ...disk, alone: [] },
    },
    disk,
  );
  const section = () => shown.find('[aria-label="Sets that lie elsewhere"]');
  expect(section().text()).toMatch(/Before\s*Hut · .*1 MiB\s*on the second disk alone/s);
  await button(shown, 'Fetch').trigger('click');
  await flushPromises();
  expect(last(asked, 'POST', '/offsite/disk/fetching')?.body).toEqual({
    things: [{ bench: 'b', kind: 'sets', id: 's1' }],
  });
  await button(shown, 'Give up…').trigger('click');
  expect(last(asked, 'DELETE', '/offsite/disk/alone/s1')).toBeUndefined();
  await button(shown, 'Give it up').trigger('click');
  await flushPromises();
  expect(last(asked, 'DELETE', '/offsite/disk/alone/s1')).toBeDefined();
  expect(section().exists()).toBe(false);
});

it('sets are moved when that was asked for twice, and pinned ones are not', async () => {
  const disk: OffsiteView = { ...open, copy: 'disk' };
  const asked = answering({
    'GET /offsite': { bucket: { ...open, state: 'locked' }, disk },
    'POST /offsite/disk/moving': run({ id: 'r4' }),
  });
  const shown = await show(MoveSets, { sets: [set({ id: 's1' })] });
  await flushPromises();
  expect(
    shown.findAllComponents(ElOption).map((each) => [each.props('label'), each.props('disabled')]),
  ).toEqual([
    ['into the bucket (locked: unlock it under Off-site)', true],
    ['onto the second disk', false],
  ]);
  shown.findComponent(ElSelect).vm.$emit('update:modelValue', 'disk');
  await flushPromises();
  expect(shown.text()).toMatch(/It is sent to the second disk, read back from there, and then removed here/);
  await button(shown, 'Move it').trigger('click');
  await flushPromises();
  expect(last(asked, 'POST', '/offsite/disk/moving')?.body).toEqual({ sets: ['s1'] });
  const pinned = await show(MoveSets, { sets: [set({ id: 's2', pinned: true })] });
  await flushPromises();
  pinned.findComponent(ElSelect).vm.$emit('update:modelValue', 'disk');
  await flushPromises();
  expect(button(pinned, 'Move it').attributes('disabled')).toBeDefined();
});
