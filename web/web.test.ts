import { describe, expect, it } from 'vitest';
import { storageLayout, type MapPartition } from './charts/storage-layout.ts';
import { relativeTime } from './parts/time.ts';

const MiB = 1 << 20;
const part = (
  name: string,
  role: MapPartition['role'],
  mebibytes: number,
  usedBytes?: number,
): MapPartition => ({
  name,
  role,
  bytes: mebibytes * MiB,
  lid: 'none',
  ...(usedBytes !== undefined && { usedBytes }),
});
const knot = [
  part('boot', 'boot-chain', 32),
  part('recovery', 'boot-chain', 32),
  part('system', 'system', 512, 128 * MiB),
  part('userdata', 'user-data', 1400, 3000 * MiB),
  ...['efs', 'persist', 'modemst1'].map((name) => part(name, 'identity', 8)),
  ...Array.from({ length: 60 }, (_, i) => part(`other_${i}`, 'other', 1)),
];

describe('the storage map', () => {
  it.each([
    [360, 'logarithmic'],
    [700, 'logarithmic'],
    [1900, 'logarithmic'],
    [700, 'true'],
  ] as const)('keeps every jar inside and apart at %i pixels, %s scale', (width, scale) => {
    const { lines, height } = storageLayout(knot, width, scale);
    const jars = lines.flatMap((line) => line.jars);
    expect(jars.map(({ partition }) => partition.name).sort()).toEqual(knot.map(({ name }) => name).sort());
    for (const line of lines) {
      let right = line.x;
      for (const jar of line.jars) {
        expect(jar.x).toBeGreaterThanOrEqual(right);
        right = jar.x + jar.width;
        expect(right).toBeLessThanOrEqual(line.x + line.width + 1);
        expect(jar.y).toBeGreaterThanOrEqual(0);
        expect(jar.y + jar.height).toBeLessThanOrEqual(height);
      }
    }
  });

  it('makes larger partitions wider, to scale when asked', () => {
    const width = (name: string, scale: 'logarithmic' | 'true') =>
      storageLayout(knot, 900, scale)
        .lines.flatMap(({ jars }) => jars)
        .find(({ partition }) => partition.name === name)!.width;
    expect(width('userdata', 'logarithmic')).toBeGreaterThan(width('efs', 'logarithmic'));
    expect(width('userdata', 'true') / width('system', 'true')).toBeCloseTo(1400 / 512, 1);
  });

  it('fills jars by the share in use, and only where it is known', () => {
    const jars = storageLayout(knot, 900, 'logarithmic').lines.flatMap(({ jars: each }) => each);
    const filled = (name: string) => jars.find(({ partition }) => partition.name === name)!.filled;
    expect(filled('system')).toBe(0.25);
    expect(filled('userdata')).toBe(1);
    expect(filled('boot')).toBeUndefined();
  });

  it('puts two short shelves on a line, and wraps long ones', () => {
    const { lines } = storageLayout(knot, 900, 'logarithmic');
    const [boot, system] = lines;
    expect(boot!.y).toBe(system!.y);
    expect(lines.filter(({ role }) => role === 'other').length).toBeGreaterThan(3);
    expect(lines.filter(({ role, isFirst }) => role === 'other' && isFirst)).toHaveLength(1);
  });
});

describe('times', () => {
  it.each([
    [-5_000, 'just now'],
    [-60_000, '1 minute ago'],
    [-86_400_000, 'yesterday'],
    [-12 * 86_400_000, '2 weeks ago'],
    [-400 * 86_400_000, 'last year'],
  ])('%i ms reads %s', (ms, text) => expect(relativeTime(1e12 + ms, 1e12)).toBe(text));
});
