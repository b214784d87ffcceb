// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import type { SealView } from '@keen-larder/contract/larder/seal.ts';
import { answering, button, last, onEmptyStage, show } from '../testing/stage.ts';
import SealPage from './larder/sealing/SealPage.vue';

onEmptyStage();

const none: SealView = {
  state: 'none',
  isComingOff: false,
  storedBytes: 4 << 20,
  leftBytes: 0,
  fault: undefined,
};
const open: SealView = { ...none, state: 'open' };

async function page(view: SealView, more: Record<string, unknown> = {}) {
  const asked = answering({ 'GET /seal': view, 'GET /sets': [], 'GET /shelf': {}, ...more });
  const shown = await show(SealPage);
  await flushPromises();
  const write = (label: string, text: string) => shown.find(`input[aria-label="${label}"]`).setValue(text);
  return { asked, shown, write };
}

it('seals with what was written the same way twice, and shows the recovery key once', async () => {
  const { asked, shown, write } = await page(none, {
    'PUT /seal': { view: { ...open, leftBytes: 3 << 20 }, recoveryKey: 'ABCD-EFGH' },
  });
  expect(shown.text()).toContain('Not sealed: the catalogue of this computer');
  await write('Passphrase', 'medlars in the cold');
  await write('Passphrase once more', 'medlars in the warm');
  await shown.find('form').trigger('submit');
  expect(shown.text()).toContain('not written the same way twice');
  expect(last(asked, 'PUT', '/seal')).toBeUndefined();
  await write('Passphrase once more', 'medlars in the cold');
  answering({
    'GET /seal': { ...open, leftBytes: 3 << 20 },
    'PUT /seal': { view: { ...open, leftBytes: 3 << 20 }, recoveryKey: 'ABCD-EFGH' },
  });
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(shown.find('[aria-label="Recovery key"]').text()).toContain('ABCD-EFGH');
  await button(shown, 'It is on paper').trigger('click');
  expect(shown.text()).not.toContain('ABCD-EFGH');
  expect(shown.text()).toMatch(/Being sealed/);
  expect(shown.text()).toMatch(/1(\.0+)? MiB of 4(\.0+)? MiB are written anew/);
});

it('takes another passphrase, by the one until now', async () => {
  const { asked, shown, write } = await page(open, { 'PUT /seal/passphrase': open });
  expect(shown.text()).toContain('Everything on the shelf is sealed');
  await button(shown, 'Change the passphrase…').trigger('click');
  await write('Passphrase until now', 'medlars');
  await write('New passphrase', 'quinces in the dark');
  await write('New passphrase once more', 'quinces in the dark');
  await shown.find('form').trigger('submit');
  await flushPromises();
  expect(last(asked, 'PUT', '/seal/passphrase')?.body).toEqual({
    before: 'medlars',
    passphrase: 'quinces in the dark',
  });
});
