// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils';
import { eventually } from '../testing/stage.ts';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { drawThroughput } from './throughput.ts';
import StorageMap from './StorageMap.vue';
import type { MapPartition } from './storage-layout.ts';
import { unmountAfterEach } from '../testing/stage.ts';

unmountAfterEach();
const MiB = 1 << 20;
const partitions: MapPartition[] = [
  { name: 'boot', role: 'boot-chain', bytes: 32 * MiB, lid: 'same' },
  { name: 'recovery', role: 'boot-chain', bytes: 32 * MiB, lid: 'none' },
  { name: 'system', role: 'system', bytes: 512 * MiB, usedBytes: 128 * MiB, lid: 'kept' },
  { name: 'efs', role: 'identity', bytes: 16 * MiB, usedBytes: 4 * MiB, lid: 'changed' },
];

const box = { width: 700, height: 400 };
/** The drawing follows the size of its box, which nothing here lays out. */
class ObserverOfBox {
  constructor(private readonly callback: (entries: { contentRect: typeof box }[]) => void) {}
  observe(): void {
    this.callback([{ contentRect: box }]);
  }
  unobserve(): void {}
  disconnect(): void {}
}
beforeEach(() => {
  document.body.innerHTML = '';
  vi.stubGlobal('ResizeObserver', ObserverOfBox);
});
afterEach(() => void vi.unstubAllGlobals());

async function map(picked: string[] = [], shownPartitions = partitions) {
  const shown = mount(StorageMap, {
    props: { partitions: shownPartitions, picked, scale: 'logarithmic' },
    attachTo: document.body,
  });
  await flushPromises();
  await eventually(() => expect(shown.findAll('g.jar').length).toBe(partitions.length));
  return shown;
}
const jar = (shown: Awaited<ReturnType<typeof map>>, name: string) =>
  shown.find(`g.jar[data-partition="${name}"]`);

describe('the storage map', () => {
  it('has a shelf per role and a jar per partition, each with a name for screen readers', async () => {
    const shown = await map(['system']);
    expect(shown.findAll('g.shelf').map((shelf) => shelf.attributes('aria-label'))).toEqual([
      'Boot chain',
      'System',
      'Identity',
    ]);
    expect(jar(shown, 'system').attributes()).toMatchObject({
      role: 'checkbox',
      'aria-checked': 'true',
      'aria-label': 'system, System, 512 MiB, 25 % in use, kept, not compared since',
    });
    expect(jar(shown, 'recovery').attributes('aria-label')).toBe('recovery, Boot chain, 32 MiB, never kept');
  });

  it('tells a partition that a broken-off write left half written', async () => {
    const half = partitions.map((each) => ({ ...each, isHalfWritten: each.name === 'system' }));
    const shown = await map([], half);
    expect(jar(shown, 'system').classes()).toContain('half');
    expect(jar(shown, 'system').attributes('aria-label')).toMatch(/, half written$/);
    expect(jar(shown, 'boot').classes()).not.toContain('half');
  });

  it('puts a lid on what is kept, a tick on what is picked, and a filling where use is known', async () => {
    const shown = await map(['boot']);
    const seen = (name: string, part: string) => jar(shown, name).find(part).attributes('display') !== 'none';
    expect([seen('boot', '.lid'), seen('recovery', '.lid')]).toEqual([true, false]);
    const lid = (name: string) => jar(shown, name).find('.lid');
    expect(lid('boot').attributes('fill')).toBe('var(--role-boot-chain)');
    expect(lid('system').attributes('fill')).toBe('var(--paper)');
    expect(lid('boot').attributes('transform')).toBeUndefined();
    expect(lid('efs').attributes('transform')).toMatch(/^rotate\(-/);
    expect([seen('boot', '.tick'), seen('system', '.tick')]).toEqual([true, false]);
    expect([seen('boot', '.filling'), seen('system', '.filling')]).toEqual([false, true]);
  });

  it('picks by mouse', async () => {
    const shown = await map();
    await jar(shown, 'efs').find('.glass').trigger('click');
    await shown.find('svg').trigger('click');
    expect(shown.emitted('toggle')).toEqual([['efs']]);
  });

  it('is walked with arrows and picked with Space', async () => {
    const shown = await map();
    const focused = () => document.activeElement?.getAttribute('data-partition');
    const reachable = () =>
      shown.findAll('g.jar[tabindex="0"]').map((each) => each.attributes('data-partition'));
    const press = (key: string, options = {}) =>
      shown.find(`g.jar[data-partition="${focused()}"]`).trigger('keydown', { key, ...options });
    expect(reachable()).toEqual(['boot']);
    (jar(shown, 'boot').element as SVGGElement).focus();
    await press('ArrowRight');
    expect(focused()).toBe('recovery');
    await press('ArrowRight');
    expect(focused()).toBe('system');
    await press('End');
    expect(focused()).toBe('efs');
    await press('ArrowRight');
    expect(focused()).toBe('efs');
    await press('ArrowUp');
    expect(['boot', 'recovery', 'system']).toContain(focused());
    await press('Home');
    expect(focused()).toBe('boot');
    await press('ArrowDown');
    expect(focused()).toBe('efs');
    expect(reachable()).toEqual(['efs']);
    await press(' ');
    await press('Enter');
    await press('Enter', { ctrlKey: true });
    expect(shown.emitted('toggle')).toEqual([['efs'], ['efs']]);
  });
});

describe('the throughput chart', () => {
  const draw = (speeds: number[], elapsedMs: number) => {
    const svg = document.createElementNS('http://www.w3.org/2000/svg', 'svg');
    document.body.append(svg);
    drawThroughput(svg, speeds, elapsedMs, { width: 600, height: 132 });
    return svg;
  };
  const labels = (svg: SVGSVGElement, group: string) =>
    [...svg.querySelectorAll(`g.${group} text`)].map(({ textContent }) => textContent);

  it('has speeds and time on its axes and one line', () => {
    const svg = draw([10 * MiB, 40 * MiB, 20 * MiB], 6000);
    expect(labels(svg, 'axis')).toContain('20 MiB/s');
    expect(labels(svg, 'time')).toEqual(expect.arrayContaining(['0 s', '2 s', '6 s']));
    expect(svg.querySelector('path.over')?.getAttribute('d')).toMatch(/^M74,/);
    drawThroughput(svg, [MiB, MiB, MiB, MiB], 8000, { width: 600, height: 132 });
    expect(svg.querySelectorAll('path.over')).toHaveLength(1);
  });

  it('stands for nothing and for silence as well', () => {
    expect(draw([], 0).querySelector('path.over')?.getAttribute('d') ?? '').not.toMatch(/NaN/);
    expect(draw([0, 0], 2000).querySelector('path.over')?.getAttribute('d')).not.toMatch(/NaN/);
  });
});
