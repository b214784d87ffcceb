// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import type { OffsiteView } from '@keen-larder/contract/larder/offsite.ts';
import { answering, button, last, onEmptyStage, run, show } from '../testing/stage.ts';
import OffsitePage from './larder/offsite/OffsitePage.vue';

onEmptyStage();

const open: OffsiteView = {
  state: 'open',
  place: 'larder at bucket.example',
  isFolder: false,
  isAway: false,
  benchName: 'Front bench',
  keptCount: 3,
  offsiteCount: 2,
  comparedAt: 1000,
  fault: undefined,
  since: {},
  bytesPerSecond: undefined,
  hours: undefined,
};
const off: OffsiteView = { ...open, state: 'off', place: undefined, benchName: undefined };

async function page(view: OffsiteView, more: Record<string, unknown> = {}) {
  const asked = answering({ 'GET /offsite': view, ...more });
  const shown = await show(OffsitePage);
  await flushPromises();
  return { asked, shown };
}

it('takes a bucket into use, and shows the recovery key once', async () => {
  const { shown, asked } = await page(off, {
    'PUT /offsite': { view: open, recoveryKey: 'ABCD-EFGH' },
  });
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
  const away = { ...open, place: 'the folder /media/disk/keen-larder-copy', isFolder: true, isAway: true };
  const { shown, asked } = await page(off, {
    'GET /exports': { places, exports: [] },
    'PUT /offsite': { view: away, recoveryKey: undefined },
  });
  await shown.find('input[type=radio][value=true]').setValue(true);
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
  const { shown, asked } = await page({ ...open, state: 'locked' }, { 'POST /offsite/unlocking': open });
  await shown.find('input').setValue('quinces in the dark');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'POST', '/offsite/unlocking')?.body).toEqual({ passphrase: 'quinces in the dark' });
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
      'GET /offsite/elsewhere': [thing],
      'POST /offsite/copying': run({ id: 'r1' }),
      'POST /offsite/fetching': run({ id: 'r2' }),
      'PUT /offsite/limits': { ...open, hours: [20, 7] },
    },
  );
  expect(shown.find('[role="alert"]').text()).toBe('the bucket did not answer');
  await shown.find('input[aria-label="Only at some hours"]').setValue(true);
  await flushPromises();
  expect(last(asked, 'PUT', '/offsite/limits')?.body).toEqual({ hours: [20, 7] });
  expect(shown.text()).toMatch(/from\s.*to\s.*o’clock/s);
  await button(shown, 'Look into the copy').trigger('click');
  await flushPromises();
  expect(shown.text()).toMatch(/“Of the back”\s*Lamp · .* kept by “Back bench”.*1 MiB/s);
  await button(shown, 'Fetch').trigger('click');
  await flushPromises();
  expect(last(asked, 'POST', '/offsite/fetching')?.body).toEqual({
    things: [{ bench: 'b', kind: 'sets', id: 's' }],
  });
});
