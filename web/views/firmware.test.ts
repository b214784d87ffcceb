// @vitest-environment happy-dom
// Firmware by model, beside the sets of phones.
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import { useBench } from '../state/bench.ts';
import { useLarder } from '../state/larder.ts';
import { usePicks } from '../state/picks.ts';
import { onEmptyStage, phone, serial, set, show } from '../testing/stage.ts';
import FirmwarePage from './larder/firmware/FirmwarePage.vue';
import LarderView from './larder/LarderView.vue';

onEmptyStage();

const own = set({ id: 'own', label: 'of the phone' });
const firmware = set({
  ...{ id: 'fw', label: 'January', firmware: true, imported: true, serial: 'firmware/Tidewell/Knot%203' },
  condition: { kind: 'stock', build: 'TW3.260105.002', product: { maker: 'Marram', model: 'Sedge 10' } },
});

it('lists it apart, says which phones it is for, and what its images say', async () => {
  const larder = useLarder();
  larder.all = [own, firmware];
  larder.loaded = true;
  useBench().take(phone());
  const page = await show(FirmwarePage);
  expect(page.find('h2').text()).toMatch(/Tidewell Knot 3\s*on the bench: /);
  expect(page.text()).toMatch(/January.*TW3\.260105\.002.*for a Marram Sedge 10/s);
  expect(page.text()).not.toContain('of the phone');
  await page.find('.onto button').trigger('click');
  await flushPromises();
  expect(page.vm.$route.path).toBe('/larder/sets/fw');
  expect(usePicks().forSet('fw').serial).toBe(serial);
  const labels = (await show(LarderView)).findAll('.label h2').map((each) => each.text());
  expect(labels).toEqual(['of the phone']);
});

it('says so where there is none', async () => {
  useLarder().loaded = true;
  expect((await show(FirmwarePage)).text()).toMatch(/No firmware is kept yet/);
});
