// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { describe, expect, it } from 'vitest';
import { useBench } from '../state/bench.ts';
import { useLarder } from '../state/larder.ts';
import { answering, last, onEmptyStage, phone, serial, set, show } from '../testing/stage.ts';
import CommandPalette from './CommandPalette.vue';
import { paletteHits, type PaletteEntry } from './palette.ts';

describe('what is typed', () => {
  const entry = (title: string, kind = 'page', also = ''): PaletteEntry => ({
    ...{ id: title, title, kind, also, open: () => undefined },
  });
  const entries = [
    entry('Order', 'page', 'bin rooms'),
    entry('Before the border', 'set'),
    entry('Ringing hut › Order', 'phone', 'TW3K-10482'),
    entry('Würzburg', 'phone'),
  ];
  const hits = (typed: string) => paletteHits(entries, typed).map(({ title }) => title);

  it('finds what begins with it first, then words, then parts of words, then what else is known', () => {
    expect(hits('order')).toEqual(['Order', 'Ringing hut › Order', 'Before the border']);
    expect(hits('rooms')).toEqual(['Order']);
    expect(hits('order 10482')).toEqual(['Ringing hut › Order']);
    expect(hits('wurz')).toEqual(['Würzburg']);
    expect(hits('nothing')).toEqual([]);
    expect(hits(' ')).toHaveLength(4);
  });
});

onEmptyStage();

describe('the palette', () => {
  async function palette() {
    const asked = answering({ [`POST /phones/${serial}/restart`]: {} });
    useBench().take(phone());
    useLarder().all = [set({ id: 's1', label: 'Before the update' })];
    const shown = await show(CommandPalette, { modelValue: true, hasPractice: false });
    const type = async (text: string) => {
      await shown.find('input').setValue(text);
      return shown.findAll('[role=option]').map((each) => each.text());
    };
    const press = (key: string) => shown.find('input').trigger(`keydown.${key}`);
    return { shown, asked, type, press };
  }

  it('goes to phones, sets and pages by the keyboard alone', async () => {
    const { shown, type, press } = await palette();
    expect(await type('update')).toEqual(['Before the updateset', 'Find “update” in all that is keptFind']);
    await press('enter');
    await flushPromises();
    expect(shown.vm.$route.path).toBe('/larder/sets/s1');
    expect(shown.emitted('update:modelValue')).toEqual([[false]]);
  });

  it('moves with the arrows, round the end', async () => {
    const { shown, type, press } = await palette();
    await type('rescue');
    const chosen = () => shown.find('[aria-selected=true]').text();
    expect(chosen()).toContain('Rescue');
    await press('up');
    expect(chosen()).toContain('Find “rescue”');
    await press('down');
    await press('enter');
    await flushPromises();
    expect(shown.vm.$route.path).toBe(`/bench/${serial}/rescue`);
  });

  it('does things', async () => {
    const { asked, type, press } = await palette();
    const [first] = await type('restart bootloader');
    expect(first).toMatch(/into bootloader/);
    await press('enter');
    await flushPromises();
    expect(last(asked, 'POST', `/phones/${serial}/restart`)?.body).toEqual({ into: 'bootloader' });
  });
});
