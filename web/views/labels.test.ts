// @vitest-environment happy-dom
// Labels to print: their sizes, and what stands on them.
import { create } from 'qrcode';
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import { answering, button, onEmptyStage, set, show } from '../testing/stage.ts';
import LabelPage from './labels/LabelPage.vue';
import { asLabelSize } from './labels/rolls.ts';

onEmptyStage();

it('takes no size that no printer has', () => {
  expect(asLabelSize({ width: 62.4, height: 29 })).toEqual({ width: 62, height: 29 });
  expect(asLabelSize({ width: 1, height: 9999 })).toEqual({ width: 40, height: 297 });
  expect(asLabelSize({ width: Number.NaN, height: -3 })).toEqual({ width: 40, height: 25 });
});

it('draws a set as large as the roll, with a code of as many modules as its address needs', async () => {
  localStorage.clear();
  answering({ 'GET /sets/s1': set() });
  const shown = await show(LabelPage, { kind: 'sets', id: 's1' });
  const label = () => shown.find('.printed');
  expect(label().attributes('style')).toContain('width: 62mm');
  await button(shown, '102 × 76 mm').trigger('click');
  expect(label().attributes('style')).toMatch(/width: 102mm; height: 76mm/);
  expect(label().text()).toContain('Knot 3 · rooted 9 · before flash · 24 Nov 2026');
  expect(label().text()).toContain('f7cf…f7cf');
  const { size } = create(`${window.location.origin}/larder/sets/s1`, { errorCorrectionLevel: 'M' }).modules;
  expect(label().find('svg').attributes('viewBox')).toBe(`0 0 ${size + 8} ${size + 8}`);
});

it('says so where there is none', async () => {
  answering({ 'GET /jobs/j9': new Error('There is no such job card.') });
  const shown = await show(LabelPage, { kind: 'jobs', id: 'j9' });
  await flushPromises();
  expect(shown.text()).toContain('There is no such job card.');
});
