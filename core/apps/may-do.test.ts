import { describe, expect, it } from 'vitest';
import { permissionsByKind } from './permissions.ts';
import { trackersAmong } from './trackers.ts';

describe('what an app asks for', () => {
  it('is told by kind, what its owner decides on first', () => {
    const asked = ['INTERNET', 'CAMERA', 'ACCESS_FINE_LOCATION', 'ACCESS_COARSE_LOCATION'];
    const permissions = [...asked.map((name) => `android.permission.${name}`), 'example.gate.OPEN'];
    const kinds = permissionsByKind(permissions.map((name) => ({ name, granted: true })));
    expect(kinds.map(({ kind, permissions: of }) => [kind.title, of.length])).toEqual([
      ['Location', 2],
      ['Camera', 1],
      ['Network', 1],
      ['Others', 1],
    ]);
    expect(kinds[0]!.kind.isAsked).toBe(true);
    expect(kinds[2]!.kind.isAsked).toBe(false);
  });

  it('is nothing where there is nothing', () => expect(permissionsByKind([])).toEqual([]));
});

describe('trackers', () => {
  const known = [
    { name: 'Gullcount', purpose: 'counts', prefixes: ['example.gullcount', 'example.gull.old'] },
    { name: 'Wrackline', purpose: 'tells of crashes', prefixes: ['example.wrackline.crash'] },
  ];

  it('are known by whole words of class names', () => {
    const classes = [
      'example.gullcount.Beacon',
      'example.gullcount.install.Referrer',
      'example.gull.old.Sender',
      'example.gullcounting.Birds',
      'example.wrackline.crash',
      'example.wrackline.Shore',
    ];
    expect(trackersAmong(classes, known)).toEqual([
      { name: 'Gullcount', purpose: 'counts', classes: 3 },
      { name: 'Wrackline', purpose: 'tells of crashes', classes: 1 },
    ]);
  });

  it('are none in an app without them', () => expect(trackersAmong(['example.x.Y'], known)).toEqual([]));
});
