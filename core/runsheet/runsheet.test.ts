import { describe, expect, it } from 'vitest';
import type { PartitionFacts, PhoneFacts } from '../phone/facts.ts';
import { expectedBytesPerSecond, usualBytesPerSecond } from './estimate.ts';
import {
  imagingSheet,
  listText,
  obstacles,
  restoringSheet,
  type CheckId,
  type ImagingFacts,
  type RestoringFacts,
  type RunSheet,
} from './index.ts';

const MiB = 1 << 20;
const phone: PhoneFacts = {
  serial: 'TW3K-10482',
  maker: 'Tidewell',
  model: 'Knot 3',
  mode: 'recovery',
  root: true,
  abis: ['arm64-v8a'],
  condition: { kind: 'rooted', androidVersion: '9' },
  battery: { percent: 82, charging: true },
};
const partitions: PartitionFacts[] = [
  { name: 'boot', role: 'boot-chain', bytes: 32 * MiB },
  { name: 'cache', role: 'scratch', bytes: 96 * MiB, mount: { at: '/cache', writable: true } },
  { name: 'efs', role: 'identity', bytes: 16 * MiB },
  { name: 'frp', role: 'other', bytes: MiB },
  { name: 'persist', role: 'identity', bytes: 32 * MiB },
  { name: 'recovery', role: 'boot-chain', bytes: 32 * MiB },
  { name: 'system', role: 'system', bytes: 512 * MiB },
  {
    name: 'userdata',
    role: 'user-data',
    bytes: 1400 * MiB,
    usedBytes: 90 * MiB,
    mount: { at: '/data', writable: true },
  },
];

const check = (sheet: RunSheet, id: CheckId) => sheet.checks.find((each) => each.id === id);

describe('imaging', () => {
  const facts: ImagingFacts = {
    phone,
    partitions,
    picked: ['boot', 'efs', 'persist'],
    label: 'before flash',
    larder: { labels: ['older'], identityKept: [] },
    shelf: { freeBytes: 10_000 * MiB },
    bytesPerSecond: 40 * MiB,
  };
  const sheet = (change: Partial<ImagingFacts> = {}) => imagingSheet({ ...facts, ...change });

  it('plans what is picked, with size and time', () => {
    const plan = sheet();
    expect(plan.steps.map(({ kind, partition }) => `${kind} ${partition}`)).toEqual([
      'read boot',
      'read efs',
      'read persist',
    ]);
    expect(plan).toMatchObject({ bytes: 80 * MiB, expectedMs: 2000 });
    expect(obstacles(plan, [])).toEqual([]);
    expect(check(plan, 'identity-left-out')?.severity).toBe('good');
  });

  it('stops when nothing is picked', () => {
    expect(check(sheet({ picked: [] }), 'nothing-picked')?.severity).toBe('stop');
  });

  it('shelf-space stops when the upper bound does not fit, to the byte', () => {
    expect(check(sheet({ shelf: { freeBytes: 80 * MiB - 1 } }), 'shelf-space')?.severity).toBe('stop');
    expect(check(sheet({ shelf: { freeBytes: 80 * MiB } }), 'shelf-space')).toBeUndefined();
  });

  it('mode-cannot-read stops without root and in the bootloader, and mends by recovery', () => {
    for (const change of [{ mode: 'system', root: false } as const, { mode: 'bootloader' } as const]) {
      expect(check(sheet({ phone: { ...phone, ...change } }), 'mode-cannot-read')).toMatchObject({
        severity: 'stop',
        mend: { do: 'restart', into: 'recovery' },
      });
    }
    expect(check(sheet({ phone: { ...phone, mode: 'system' } }), 'mode-cannot-read')).toBeUndefined();
  });

  it('live-file-system asks for mounted writable partitions in system mode only', () => {
    const live = { picked: ['userdata', 'boot'], phone: { ...phone, mode: 'system' } as PhoneFacts };
    expect(check(sheet(live), 'live-file-system')).toMatchObject({
      severity: 'confirm',
      title: 'userdata in use',
    });
    expect(check(sheet({ picked: ['userdata'] }), 'live-file-system')).toBeUndefined();
    expect(
      obstacles(sheet({ ...live, larder: { labels: [], identityKept: ['efs', 'persist'] } }), [
        'live-file-system',
      ]),
    ).toEqual([]);
  });

  it.each([
    [14, false, 'stop'],
    [15, false, 'confirm'],
    [59, false, 'confirm'],
    [60, false, 'good'],
    [10, true, 'good'],
  ])('battery at %i %%, charging %s: %s', (percent, charging, severity) => {
    expect(check(sheet({ phone: { ...phone, battery: { percent, charging } } }), 'battery')?.severity).toBe(
      severity,
    );
  });

  it('identity-left-out asks when the larder has none, and notes when it has', () => {
    const never = sheet({ picked: ['boot', 'efs'] });
    expect(check(never, 'identity-left-out')).toMatchObject({
      severity: 'confirm',
      mend: { do: 'pick', partitions: ['persist'] },
    });
    expect(obstacles(never, []).map(({ id }) => id)).toEqual(['identity-left-out']);
    expect(obstacles(never, ['identity-left-out'])).toEqual([]);
    const kept = sheet({ picked: ['boot'], larder: { labels: [], identityKept: ['efs', 'persist'] } });
    expect(check(kept, 'identity-left-out')?.severity).toBe('note');
    const half = sheet({ picked: ['boot'], larder: { labels: [], identityKept: ['efs'] } });
    expect(check(half, 'identity-left-out')?.severity).toBe('confirm');
  });

  it('says every time whether shared storage is in', () => {
    expect(check(sheet(), 'shared-storage')).toMatchObject({
      severity: 'note',
      mend: { do: 'pick', partitions: ['userdata'] },
    });
    expect(check(sheet({ picked: ['userdata'] }), 'shared-storage')?.severity).toBe('good');
  });

  it('scratch-picked notes cache', () => {
    expect(check(sheet({ picked: ['cache'] }), 'scratch-picked')).toMatchObject({
      severity: 'note',
      mend: { do: 'unpick' },
    });
  });

  it('name-taken stops, and offers a free name', () => {
    expect(check(sheet({ label: ' older ' }), 'name-taken')).toMatchObject({
      severity: 'stop',
      mend: { do: 'rename', label: 'older (2)' },
    });
    expect(check(sheet({ label: '  ' }), 'name-taken')?.severity).toBe('stop');
    expect(check(sheet(), 'name-taken')).toBeUndefined();
  });

  it('shows what stands in the way first', () => {
    const order = sheet({ picked: ['boot', 'cache'], label: 'older' }).checks.map(({ severity }) => severity);
    expect(order).toEqual(
      [...order].sort(
        (a, b) =>
          ['stop', 'confirm', 'note', 'good'].indexOf(a) - ['stop', 'confirm', 'note', 'good'].indexOf(b),
      ),
    );
  });
});

describe('restoring', () => {
  const images = partitions.map(({ name, role, bytes }) => ({
    partition: name,
    role,
    bytes,
    damaged: false,
  }));
  const facts: RestoringFacts = {
    phone,
    partitions,
    set: { serial: phone.serial, maker: 'Tidewell', model: 'Knot 3', images },
    picked: ['recovery', 'boot', 'system'],
    userDataKept: undefined,
    restartAfter: true,
    bytesPerSecond: 40 * MiB,
  };
  const sheet = (change: Partial<RestoringFacts> = {}) => restoringSheet({ ...facts, ...change });

  it('verifies all first, writes boot and recovery last, then restarts and watches', () => {
    expect(sheet().steps.map(({ kind, partition }) => [kind, partition].filter(Boolean).join(' '))).toEqual([
      'verify system',
      'verify boot',
      'verify recovery',
      'write system',
      'write boot',
      'write recovery',
      'restart',
      'watch',
    ]);
    expect(obstacles(sheet(), [])).toEqual([]);
    expect(sheet({ restartAfter: false }).steps.at(-1)?.kind).toBe('write');
  });

  it('mode-cannot-write stops outside of recovery', () => {
    expect(check(sheet({ phone: { ...phone, mode: 'system' } }), 'mode-cannot-write')).toMatchObject({
      severity: 'stop',
      mend: { do: 'restart', into: 'recovery' },
    });
  });

  it('wrong-model stops', () => {
    expect(check(sheet({ set: { ...facts.set, model: 'Knot 5' } }), 'wrong-model')?.severity).toBe('stop');
    expect(check(sheet({ set: { ...facts.set, maker: 'Marram' } }), 'wrong-model')?.severity).toBe('stop');
  });

  it('identity-of-another stops whatever is confirmed, and lets the rest pass', () => {
    const other = { ...facts.set, serial: 'TW3K-20991' };
    const trap = sheet({ set: other, picked: ['boot', 'efs', 'persist'] });
    expect(check(trap, 'identity-of-another')).toMatchObject({
      severity: 'stop',
      mend: { do: 'unpick', partitions: ['efs', 'persist'] },
    });
    expect(obstacles(trap, ['identity-of-another'])).toHaveLength(1);
    expect(obstacles(sheet({ set: other, picked: ['boot'] }), [])).toEqual([]);
  });

  it('image-too-large stops by one byte', () => {
    const larger = images.map((image) =>
      image.partition === 'boot' ? { ...image, bytes: image.bytes + 1 } : image,
    );
    expect(check(sheet({ set: { ...facts.set, images: larger } }), 'image-too-large')?.severity).toBe('stop');
    expect(check(sheet(), 'image-too-large')).toBeUndefined();
  });

  it('image-damaged stops', () => {
    const damaged = images.map((image) => ({ ...image, damaged: image.partition === 'boot' }));
    expect(check(sheet({ set: { ...facts.set, images: damaged } }), 'image-damaged')?.severity).toBe('stop');
    expect(
      check(sheet({ set: { ...facts.set, images: damaged }, picked: ['system'] }), 'image-damaged')?.severity,
    ).toBe('note');
  });

  it('missing-partition is not claimed where the mode cannot list partitions', () => {
    const stock = sheet({ phone: { ...phone, mode: 'system', root: false }, partitions: [] });
    expect(check(stock, 'missing-partition')).toBeUndefined();
    expect(check(stock, 'mode-cannot-write')?.severity).toBe('stop');
  });

  it('missing-partition stops, and frp is never written', () => {
    expect(check(sheet({ partitions: partitions.slice(1) }), 'missing-partition')?.severity).toBe('stop');
    expect(check(sheet({ picked: ['frp'] }), 'missing-partition')).toMatchObject({
      severity: 'stop',
      mend: { partitions: ['frp'] },
    });
  });

  it.each([
    [59, false, 'stop'],
    [59, true, 'confirm'],
    [60, false, 'good'],
  ])('battery at %i %%, charging %s: %s', (percent, charging, severity) => {
    expect(check(sheet({ phone: { ...phone, battery: { percent, charging } } }), 'battery')?.severity).toBe(
      severity,
    );
  });

  it('an unknown battery is asked about', () => {
    const without: PhoneFacts = { ...phone };
    delete (without as { battery?: unknown }).battery;
    expect(check(sheet({ phone: without }), 'battery')?.severity).toBe('confirm');
  });

  it('will-wipe asks, and says when what is lost was last kept', () => {
    expect(check(sheet({ picked: ['userdata'] }), 'will-wipe')).toMatchObject({ severity: 'confirm' });
    expect(check(sheet({ picked: ['userdata'] }), 'will-wipe')?.sentence).toMatch(/never kept/);
    expect(
      check(sheet({ picked: ['userdata'], userDataKept: 'on 12 Nov 2026' }), 'will-wipe')?.sentence,
    ).toMatch(/12 Nov 2026/);
    expect(check(sheet(), 'will-wipe')?.severity).toBe('good');
  });
});

describe('estimates', () => {
  it('learn from past runs that were long enough, and fall back to what a cable carries', () => {
    expect(expectedBytesPerSecond([])).toBe(usualBytesPerSecond);
    expect(expectedBytesPerSecond([{ bytes: 1000, elapsedMs: 1 }])).toBe(usualBytesPerSecond);
    expect(
      expectedBytesPerSecond([
        { bytes: 100 * MiB, elapsedMs: 1000 },
        { bytes: 300 * MiB, elapsedMs: 3000 },
      ]),
    ).toBe(100 * MiB);
  });

  it('write lists as people do', () => {
    expect([[], ['a'], ['a', 'b'], ['a', 'b', 'c']].map(listText)).toEqual([
      '',
      'a',
      'a and b',
      'a, b and c',
    ]);
  });
});
