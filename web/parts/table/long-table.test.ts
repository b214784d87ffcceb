// @vitest-environment happy-dom
import { mount } from '@vue/test-utils';
import { describe, expect, it } from 'vitest';
import { h, nextTick } from 'vue';
import LongTable from './LongTable.vue';
import { unmountAfterEach } from '../../testing/stage.ts';

unmountAfterEach();

interface Shell {
  readonly id: string;
  readonly beach: string;
}
const shells = Array.from({ length: 500 }, (_, i): Shell => ({ id: `s${i}`, beach: `Beach ${i}` }));

const show = (over: object = {}) =>
  mount(LongTable<Shell>, {
    attachTo: document.body,
    props: {
      columns: [
        { key: 'beach', title: 'Beach', width: '1fr', sortable: true },
        { key: 'id', title: 'Number', width: '80px', align: 'right' as const },
      ],
      rows: shells,
      idOf: (shell: Shell) => shell.id,
      nameOf: (shell: Shell) => shell.beach,
      picked: [] as string[],
      order: { key: 'beach', descending: false },
      empty: 'No shell.',
      ...over,
    },
    slots: {
      beach: ({ row }: { row: Shell }) => h('strong', row.beach),
      id: ({ row }: { row: Shell }) => row.id,
    },
  });
type Shown = ReturnType<typeof show>;
const beaches = (shown: Shown) =>
  shown
    .findAll('[role=row]:not(.head)')
    .map((row) => ({ at: Number(row.attributes('aria-rowindex')), text: row.text() }))
    .sort((a, b) => a.at - b.at)
    .map(({ text }) => text);
async function scrollTo(shown: Shown, top: number): Promise<void> {
  await nextTick();
  const { element } = shown.find('[role=table]');
  element.scrollTop = top;
  element.dispatchEvent(new Event('scroll'));
  await nextTick();
}

describe('A long table', () => {
  it('draws what is in sight, and says how many rows there are', async () => {
    const shown = show();
    expect(shown.find('[role=table]').attributes('aria-rowcount')).toBe('501');
    expect(beaches(shown).length).toBeLessThan(20);
    expect(beaches(shown)[0]).toBe('Beach 0s0');
    await scrollTo(shown, 250 * 42);
    expect(beaches(shown)).toContain('Beach 250s250');
    expect(beaches(shown)).not.toContain('Beach 0s0');
    await scrollTo(shown, 1e6);
    expect(beaches(shown).at(-1)).toBe('Beach 499s499');
  });

  it('shows what a filter leaves, though it was scrolled down before', async () => {
    const shown = show();
    await scrollTo(shown, 400 * 42);
    await shown.setProps({ rows: shells.slice(7, 9) });
    expect(beaches(shown)).toEqual(['Beach 7s7', 'Beach 8s8']);
    await shown.setProps({ rows: [] });
    expect(shown.text()).toContain('No shell.');
    expect(shown.find('.head input').attributes()).toHaveProperty('disabled');
  });

  it('picks one row, and all that a filter leaves, in sight or not', async () => {
    const shown = show({ picked: ['s1', 'hidden'] });
    const box = (name: string) => shown.find<HTMLInputElement>(`input[aria-label="${name}"]`);
    expect(box('Pick Beach 1').element.checked).toBe(true);
    expect(box('Pick Beach 2').element.checked).toBe(false);
    expect(box('Pick all that are shown').element.indeterminate).toBe(true);
    await box('Pick Beach 2').setValue(true);
    await box('Pick Beach 1').setValue(false);
    await box('Pick all that are shown').setValue(true);
    expect(shown.emitted('pick')).toEqual([
      [['s2'], true],
      [['s1'], false],
      [shells.map(({ id }) => id), true],
    ]);
    await shown.setProps({ picked: shells.map(({ id }) => id) });
    expect(box('Pick all that are shown').element.checked).toBe(true);
    expect(box('Pick all that are shown').element.indeterminate).toBe(false);
  });

  it('picks all rows between two ticks, the second one made with Shift', async () => {
    const shown = show();
    const box = (at: number) => shown.find<HTMLInputElement>(`input[aria-label="Pick Beach ${at}"]`).element;
    const click = (at: number, shiftKey = false) =>
      box(at).dispatchEvent(new MouseEvent('click', { shiftKey, bubbles: true, cancelable: true }));
    await nextTick();
    click(5, true);
    click(2, true);
    click(4);
    await shown.setProps({ rows: shells.filter(({ id }) => id !== 's4') });
    click(6, true);
    expect(shown.emitted('pick')).toEqual([
      [['s5'], true],
      [['s2', 's3', 's4', 's5'], true],
      [['s4'], true],
      [['s6'], true],
    ]);
  });

  it('is sorted by a click on the head of a column, and the other way by the next', async () => {
    const shown = show();
    const head = () => shown.findAll('[role=columnheader]')[1]!;
    expect(head().attributes('aria-sort')).toBe('ascending');
    await head().find('button').trigger('click');
    await shown.setProps({ order: { key: 'beach', descending: true } });
    expect(head().attributes('aria-sort')).toBe('descending');
    await head().find('button').trigger('click');
    expect(shown.emitted('sort')).toEqual([
      ['beach', true],
      ['beach', false],
    ]);
    expect(shown.findAll('[role=columnheader]')[2]!.find('button').exists()).toBe(false);
  });
});
