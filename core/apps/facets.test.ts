import { describe, expect, it } from 'vitest';
import { listedApp } from '../testing/apps.ts';
import { filterApps, sortApps } from './facets.ts';

const camera = { name: 'android.permission.CAMERA', granted: true };
const apps = [
  listedApp('tidebook', { isRunning: true, permissions: [camera] }),
  listedApp('marshlog', { dataBytes: 9 << 20 }),
  listedApp('ringcode', { permissions: [{ ...camera, granted: false }], lastUpdated: '2026-05-01 00:00:00' }),
  listedApp('ferrytimes', { isBuiltIn: true, label: 'Ferry Times' }),
  listedApp('almanac', { isBuiltIn: true, isEnabled: false }),
];
const names = (found: readonly { label: string }[]) => found.map(({ label }) => label);

describe('facets of apps', () => {
  it('leave everything when nothing is chosen, and count every choice', () => {
    const { shown, counts, hidden } = filterApps(apps, '', new Set());
    expect([shown.length, hidden]).toEqual([5, 0]);
    expect(Object.fromEntries(counts)).toEqual({
      'where:phone': 5,
      'where:both': 0,
      'where:larder': 0,
      'change:never': 5,
      'change:changed': 0,
      'change:as-kept': 0,
      'change:unknown': 0,
      'kind:owner': 3,
      'kind:built-in': 2,
      'state:running': 1,
      'state:at-rest': 3,
      'state:disabled': 1,
      'asks:camera': 2,
      'asks:microphone': 0,
      'asks:place': 0,
      'asks:people': 0,
      'asks:messages': 0,
    });
  });

  it('hold any choice of one facet and all of several, and count what the others leave', () => {
    const { shown, counts, hidden } = filterApps(
      apps,
      '',
      new Set(['kind:owner', 'state:running', 'state:disabled']),
    );
    expect(names(shown)).toEqual(['Tidebook']);
    expect(hidden).toBe(4);
    // With the state as it is chosen, the system has one; with the kind as it is chosen, two are at rest.
    expect([counts.get('kind:built-in'), counts.get('state:at-rest')]).toEqual([1, 2]);
  });

  it('search in label and package, all words, in any case', () => {
    expect(names(filterApps(apps, 'FERRY example.', new Set()).shown)).toEqual(['Ferry Times']);
    expect(filterApps(apps, 'nothing', new Set())).toMatchObject({ shown: [], hidden: 5 });
  });

  it('sort by size and time, those alike by their labels', () => {
    expect(names(sortApps(apps, 'data', true))[0]).toBe('Marshlog');
    expect(names(sortApps(apps, 'updated', true))[0]).toBe('Ringcode');
    expect(names(sortApps(apps, 'label', false))).toEqual([
      'Almanac',
      'Ferry Times',
      'Marshlog',
      'Ringcode',
      'Tidebook',
    ]);
    const numbered = ['Map 10', 'Map 9'].map((label) => ({ ...apps[0]!, label }));
    expect(names(sortApps(numbered, 'label', false))).toEqual(['Map 9', 'Map 10']);
    expect(names(sortApps(apps, 'version', false))[0]).toBe('Almanac');
  });

  it('find their apps among five hundred', () => {
    const many = Array.from({ length: 500 }, (_, i) =>
      listedApp(`app${i}`, { isBuiltIn: i % 3 === 0, permissions: [camera] }),
    );
    expect(filterApps(many, 'app1', new Set(['kind:owner', 'asks:camera'])).shown).toHaveLength(75);
  });
});
