import { describe, expect, it } from 'vitest';
import type { Forecast } from '../../boot/boot.ts';
import type { PackageFacts } from '../../formats/package-metadata/package-metadata.ts';
import type { PartitionFacts, PhoneFacts } from '../../phone/facts.ts';
import {
  obstacles,
  restoringSheet,
  type CheckId,
  type RestoringFacts,
  type SetFacts,
} from '../run-sheets.ts';
import type { RestoringImage } from './facts.ts';

const MiB = 1 << 20;
const phone: PhoneFacts = {
  serial: 'TW3K-10482',
  maker: 'Tidewell',
  model: 'Knot 3',
  mode: 'recovery',
  root: true,
  abis: ['arm64-v8a'],
  condition: { kind: 'rooted', androidVersion: '9', bootloaderUnlocked: true },
  battery: { percent: 82, charging: true },
};
const partitions: PartitionFacts[] = [
  { name: 'aboot', role: 'early-loader', bytes: 2 * MiB },
  { name: 'boot', role: 'boot-chain', bytes: 32 * MiB },
  { name: 'cache', role: 'scratch', bytes: 96 * MiB },
  { name: 'efs', role: 'identity', bytes: 16 * MiB },
  { name: 'frp', role: 'other', bytes: MiB },
  { name: 'metadata', role: 'user-data', bytes: 16 * MiB },
  { name: 'misc', role: 'scratch', bytes: MiB },
  { name: 'persist', role: 'identity', bytes: 32 * MiB },
  { name: 'recovery', role: 'boot-chain', bytes: 32 * MiB },
  { name: 'system', role: 'system', bytes: 512 * MiB },
  { name: 'userdata', role: 'user-data', bytes: 1400 * MiB },
];
/** Of a phone with two slots. */
const slotted = [
  ...partitions,
  { name: 'boot_a', role: 'boot-chain' as const, bytes: 32 * MiB },
  { name: 'boot_b', role: 'boot-chain' as const, bytes: 32 * MiB },
];
const set: SetFacts = {
  setId: 's1',
  serial: phone.serial,
  maker: 'Tidewell',
  model: 'Knot 3',
  androidVersion: '9',
  partitions: partitions.map(({ name }) => name),
};
const image = (name: string, over: Partial<RestoringImage> = {}): RestoringImage => {
  const { role, bytes } = partitions.find((each) => each.name === name) ?? { role: 'other', bytes: MiB };
  return { partition: name, onto: name, role, bytes, damaged: false, set, ...over };
};
const facts: RestoringFacts = {
  phone,
  partitions,
  images: ['recovery', 'boot', 'system'].map((name) => image(name)),
  userDataKept: undefined,
  restartAfter: true,
  bytesPerSecond: 40 * MiB,
};
const sheet = (change: Partial<RestoringFacts> = {}) => restoringSheet({ ...facts, ...change });
const check = (change: Partial<RestoringFacts>, id: CheckId) =>
  sheet(change).checks.find((each) => each.id === id);
const severity = (change: Partial<RestoringFacts>, id: CheckId) => check(change, id)?.severity;
const only = (name: string, over: Partial<RestoringImage> = {}) => ({ images: [image(name, over)] });
const inBootloader = (bootloaderUnlocked: boolean): PhoneFacts => ({
  ...phone,
  mode: 'bootloader',
  root: false,
  condition: { kind: 'unknown', bootloaderUnlocked },
});
it('goes by how long putting a partition back took the last time', () => {
  const alone = only('system');
  const usual = sheet(alone).expectedMs;
  const paces = new Map([['system', facts.bytesPerSecond * 10]]);
  expect(sheet({ ...alone, paces }).expectedMs).toBeCloseTo((usual / 10) * (3 / 4));
  expect(sheet({ ...only('boot'), paces }).expectedMs).toBe(sheet(only('boot')).expectedMs);
});

const starts: Forecast = {
  result: 'starts',
  reason: 'it fits',
  system: { release: '9', patch: '2026-03-05', build: 'b', maker: 'Tidewell', model: 'Knot 3' },
};
const withSystem = (release: string, patch = '2026-03-05'): Forecast => ({
  ...starts,
  system: { ...starts.system!, release, patch },
});

describe('the order of steps', () => {
  const kinds = (change: Partial<RestoringFacts>) =>
    sheet(change).steps.map(({ kind, partition, into }) =>
      [kind, into ?? partition].filter(Boolean).join(' '),
    );

  it('verifies all first, writes what starts the phone last, then restarts, watches and compares', () => {
    const images = ['misc', 'recovery', 'aboot', 'boot', 'system'].map((name) => image(name));
    const order = ['system', 'boot', 'recovery', 'aboot', 'misc'];
    expect(kinds({ images })).toEqual([
      ...order.map((name) => `verify ${name}`),
      ...order.map((name) => `write ${name}`),
      'restart system',
      'watch',
      'compare',
    ]);
    expect(kinds({ images, restartAfter: false }).at(-1)).toBe('write misc');
    expect(obstacles(sheet(), [])).toEqual([]);
  });

  it('switches the slot after the last write, and before recovery proves what a bootloader took', () => {
    const slot = { images: [image('boot', { partition: 'boot_a', onto: 'boot_b' })], activate: 'b' as const };
    expect(kinds(slot)).toEqual([
      'verify boot_b',
      'write boot_b',
      'activate',
      'restart system',
      'watch',
      'compare',
    ]);
    expect(kinds({ ...slot, phone: inBootloader(true) })).toEqual([
      'verify boot_b',
      'write boot_b',
      'activate',
      'restart recovery',
      'prove boot_b',
      'restart system',
      'watch',
      'compare',
    ]);
    expect(sheet(slot).steps[1]).toMatchObject({
      text: 'Write boot_b from boot_a and compare the phone’s digest',
      source: { setId: 's1', partition: 'boot_a' },
    });
  });

  it('compares after a slot was switched with what the phone was in that slot, where that is known', () => {
    const slot = { images: [], activate: 'a' as const, phone: inBootloader(true), partitions: slotted };
    expect(kinds({ ...slot, knowsSlot: true }).at(-1)).toBe('compare');
    expect(kinds({ ...slot, knowsSlot: false }).at(-1)).toBe('watch');
  });

  it('may do no more than switch the slot', () => {
    expect(kinds({ images: [], activate: 'a', phone: inBootloader(true), partitions: slotted })).toEqual([
      'activate',
      'restart system',
      'watch',
    ]);
  });

  it('wants something to do', () => {
    expect(severity({ images: [] }, 'nothing-picked')).toBe('stop');
    expect(sheet({ images: [] }).steps).toEqual([]);
  });
});

describe('where it can be written', () => {
  it('mode-cannot-write stops outside of recovery', () => {
    expect(check({ phone: { ...phone, mode: 'system' } }, 'mode-cannot-write')).toMatchObject({
      severity: 'stop',
      mend: { do: 'restart', into: 'recovery' },
    });
    expect(check({}, 'mode-cannot-write')).toBeUndefined();
  });

  it('bootloader-locked stops, an unlocked one takes images that recovery proves afterwards', () => {
    expect(severity({ phone: inBootloader(false) }, 'bootloader-locked')).toBe('stop');
    const unlocked = { phone: inBootloader(true), ...only('boot') };
    expect(check(unlocked, 'bootloader-locked')).toBeUndefined();
    expect(severity(unlocked, 'proved-later')).toBe('note');
    expect(check({}, 'proved-later')).toBeUndefined();
    // What the bootloader told of its partitions counts, and it may tell nothing.
    expect(check({ phone: inBootloader(true), partitions: [] }, 'missing-partition')).toBeUndefined();
  });

  it('missing-partition stops, and frp is never written', () => {
    expect(severity({ partitions: partitions.slice(0, 1) }, 'missing-partition')).toBe('stop');
    expect(check(only('frp'), 'missing-partition')).toMatchObject({
      severity: 'stop',
      mend: { partitions: ['frp'] },
    });
    expect(check({}, 'missing-partition')).toBeUndefined();
  });

  it('missing-partition is not claimed where the mode cannot list partitions', () => {
    const stock = { phone: { ...phone, mode: 'system' as const, root: false }, partitions: [] };
    expect(check(stock, 'missing-partition')).toBeUndefined();
    expect(severity(stock, 'mode-cannot-write')).toBe('stop');
  });

  it('two-for-one stops when two images go to one partition', () => {
    const images = [image('boot'), image('recovery', { onto: 'boot' })];
    expect(check({ images }, 'two-for-one')).toMatchObject({
      severity: 'stop',
      mend: { partitions: ['boot'] },
    });
    expect(check({}, 'two-for-one')).toBeUndefined();
  });

  it('image-too-large stops by one byte', () => {
    expect(severity(only('boot', { bytes: 32 * MiB + 1 }), 'image-too-large')).toBe('stop');
    expect(check({}, 'image-too-large')).toBeUndefined();
  });

  describe('files', () => {
    const files = image('userdata-files', { kind: 'archive', role: 'user-data', bytes: 90 * MiB });
    const shared = image('shared-storage', { kind: 'archive', role: 'user-data', bytes: 20 * MiB });
    const reachable = [
      ...partitions,
      { name: 'userdata-files', role: 'user-data' as const, bytes: 90 * MiB, archive: true as const },
    ];
    const plan = { images: [shared, files], partitions: reachable };

    it('are unpacked apps first, after formatting when that is wanted, and clear the code caches', () => {
      const kinds = (change: Partial<RestoringFacts>) =>
        sheet({ ...plan, restartAfter: false, ...change }).steps.map(({ kind, partition }) =>
          [kind, partition].filter(Boolean).join(' '),
        );
      const verified = ['verify userdata-files', 'verify shared-storage'];
      const written = ['write userdata-files', 'write shared-storage'];
      expect(kinds({})).toEqual([...verified, ...written, 'clear']);
      expect(kinds({ format: true })).toEqual([...verified, 'format', ...written, 'clear']);
      expect(severity(plan, 'scratch-cleared')).toBe('note');
      expect(check(plan, 'missing-partition')).toBeUndefined();
    });

    it('files-not-reachable stops outside of recovery, on ciphertext, and on what cannot be mounted', () => {
      expect(check(plan, 'files-not-reachable')).toBeUndefined();
      expect(check({ ...plan, phone: { ...phone, mode: 'system' } }, 'files-not-reachable')).toMatchObject({
        severity: 'stop',
        mend: { do: 'restart', into: 'recovery' },
      });
      const coded = { ...phone, condition: { ...phone.condition, encrypted: true } };
      expect(check({ ...plan, phone: coded }, 'files-not-reachable')?.title).toBe('User data is encrypted');
      expect(check({ ...plan, partitions }, 'files-not-reachable')).toMatchObject({
        severity: 'stop',
        mend: { do: 'format' },
      });
      expect(check({ ...plan, partitions, format: true }, 'files-not-reachable')).toBeUndefined();
    });

    it('are not put back beside the block image that holds them', () => {
      expect(check({ ...plan, images: [files, image('userdata')] }, 'two-for-one')).toMatchObject({
        severity: 'stop',
        mend: { do: 'unpick', partitions: ['userdata-files'] },
      });
    });

    it('will-wipe says what goes and what stays', () => {
      const sentence = (change: Partial<RestoringFacts>) =>
        check({ ...plan, ...change }, 'will-wipe')?.sentence;
      expect(sentence({})).toMatch(/photos and downloads on it stay/);
      expect(sentence({ format: true })).toMatch(/photos and downloads now on the phone are lost/);
      expect(sentence({ images: [shared] })).toMatch(/same names are overwritten/);
    });
  });

  it('scratch-cleared is for a system that changes under user data that stays', () => {
    const reachable: PartitionFacts[] = [
      ...partitions,
      { name: 'userdata-files', role: 'user-data', bytes: MiB, archive: true },
    ];
    expect(severity({ partitions: reachable }, 'scratch-cleared')).toBe('note');
    expect(check({ partitions: reachable, ...only('boot') }, 'scratch-cleared')).toBeUndefined();
    expect(check({}, 'scratch-cleared')).toBeUndefined();
  });
});

describe('what goes back', () => {
  it('wrong-model stops, for one image as for all', () => {
    expect(severity(only('boot', { set: { ...set, model: 'Knot 5' } }), 'wrong-model')).toBe('stop');
    const images = [image('system'), image('boot', { set: { ...set, maker: 'Marram' } })];
    expect(severity({ images }, 'wrong-model')).toBe('stop');
    expect(check({}, 'wrong-model')).toBeUndefined();
  });

  it('identity-of-another stops whatever is confirmed, and lets the rest pass', () => {
    const other = { ...set, setId: 's2', serial: 'TW3K-20991' };
    const images = [
      image('boot', { set: other }),
      image('efs', { set: other }),
      image('persist', { set: other }),
    ];
    expect(check({ images }, 'identity-of-another')).toMatchObject({
      severity: 'stop',
      mend: { do: 'unpick', partitions: ['efs', 'persist'] },
    });
    expect(obstacles(sheet({ images }), ['identity-of-another'])).toHaveLength(1);
    expect(check({ images: images.slice(0, 1) }, 'identity-of-another')).toBeUndefined();
    expect(severity({ images: [images[0]!, image('efs')] }, 'identity-of-another')).toBeUndefined();
    expect(severity({}, 'identity-of-another')).toBe('good');
  });

  it('image-damaged stops', () => {
    const images = [image('boot', { damaged: true }), image('system')];
    expect(severity({ images }, 'image-damaged')).toBe('stop');
    expect(severity({ images: images.slice(1) }, 'image-damaged')).toBe('note');
  });

  it('image-not-complete asks', () => {
    expect(severity(only('boot', { isIncomplete: true }), 'image-not-complete')).toBe('confirm');
    expect(check({}, 'image-not-complete')).toBeUndefined();
  });

  it('will-wipe asks, and says when what is lost was last kept', () => {
    expect(severity(only('userdata'), 'will-wipe')).toBe('confirm');
    expect(check(only('userdata'), 'will-wipe')?.sentence).toMatch(/never kept/);
    expect(check({ ...only('userdata'), userDataKept: 'on 12 Nov 2026' }, 'will-wipe')?.sentence).toMatch(
      /12 Nov 2026/,
    );
    expect(severity({}, 'will-wipe')).toBe('good');
  });

  it('already-there notes what need not be written', () => {
    expect(check(only('boot', { isThere: true }), 'already-there')).toMatchObject({
      severity: 'note',
      mend: { do: 'unpick', partitions: ['boot'] },
    });
    expect(check({}, 'already-there')).toBeUndefined();
  });
});

describe('encrypted-user-data', () => {
  const coded = { ...set, isEncrypted: true };
  const data = image('userdata', { set: coded });
  const key = image('metadata', { set: coded });

  it('stops on one without the other, and adds it where the set has it', () => {
    expect(check({ images: [data] }, 'encrypted-user-data')).toMatchObject({
      severity: 'stop',
      mend: { do: 'pick', partitions: ['metadata'] },
    });
    expect(check({ images: [key] }, 'encrypted-user-data')).toMatchObject({
      severity: 'stop',
      mend: { do: 'pick', partitions: ['userdata'] },
    });
    const without = { ...coded, partitions: ['userdata'] };
    expect(check({ images: [image('userdata', { set: without })] }, 'encrypted-user-data')).toMatchObject({
      mend: { do: 'unpick', partitions: ['userdata'] },
    });
  });

  it('lets both of one set pass, and stops on both of two', () => {
    expect(severity({ images: [data, key] }, 'encrypted-user-data')).toBe('note');
    const later = image('metadata', { set: { ...coded, setId: 's2' } });
    expect(severity({ images: [data, later] }, 'encrypted-user-data')).toBe('stop');
  });

  it('stops on another phone, and once the phone has wiped its key', () => {
    const foreign = { ...coded, serial: 'TW3K-20991' };
    const images = (from: SetFacts) => [image('userdata', { set: from }), image('metadata', { set: from })];
    expect(check({ images: images(foreign) }, 'encrypted-user-data')?.title).toBe(
      'Ciphertext of another phone',
    );
    expect(check({ images: images({ ...coded, keyIsGone: true }) }, 'encrypted-user-data')?.title).toBe(
      'The key of this user data is gone',
    );
  });

  it('has nothing to say of what is not encrypted', () => {
    expect(check(only('userdata'), 'encrypted-user-data')).toBeUndefined();
  });
});

describe('whether it starts afterwards', () => {
  const loops: Forecast = { result: 'loops', reason: 'it does not fit' };

  it.each<[Forecast['result'], Forecast['result'], string]>([
    ['starts', 'starts', 'good'],
    ['loops', 'warns', 'good'],
    ['starts', 'loops', 'confirm'],
    ['starts', 'refused', 'stop'],
    ['loops', 'refused', 'confirm'],
    ['loops', 'dead', 'stop'],
    ['dead', 'dead', 'confirm'],
  ])('boot-forecast from %s to %s: %s', (now, after, expected) => {
    const of = (result: Forecast['result']): Forecast => ({ result, reason: 'because' });
    expect(severity({ forecast: { now: of(now), after: of(after) } }, 'boot-forecast')).toBe(expected);
  });

  it('boot-forecast is silent where nobody can tell', () => {
    expect(check({}, 'boot-forecast')).toBeUndefined();
  });

  it('rollback-index stops a locked phone, asks an unlocked one, and lets newer pass', () => {
    const rollback = [{ location: 0, now: 7n, after: 6n }];
    const locked = { ...phone, condition: { ...phone.condition, bootloaderUnlocked: false } };
    expect(severity({ rollback, phone: locked }, 'rollback-index')).toBe('stop');
    expect(severity({ rollback }, 'rollback-index')).toBe('confirm');
    expect(
      check({ rollback: [{ location: 0, now: 7n, after: 7n }], phone: locked }, 'rollback-index'),
    ).toBeUndefined();
  });

  it('version-crossing asks for the early loader, and stops when nothing but loader mode would answer', () => {
    const crossing = { forecast: { now: withSystem('9'), after: withSystem('10') } };
    expect(check(crossing, 'version-crossing')).toMatchObject({
      severity: 'confirm',
      mend: { do: 'pick', partitions: ['aboot'] },
    });
    const dead: Forecast = { ...withSystem('10'), result: 'dead' };
    expect(severity({ forecast: { now: withSystem('9'), after: dead } }, 'version-crossing')).toBe('stop');
    const whole = [...facts.images, image('aboot')];
    expect(severity({ ...crossing, images: whole }, 'version-crossing')).toBe('note');
    expect(check({ forecast: { now: starts, after: starts } }, 'version-crossing')).toBeUndefined();
    // Without a forecast, by what the set and the phone say of themselves.
    expect(severity(only('system', { set: { ...set, androidVersion: '10' } }), 'version-crossing')).toBe(
      'confirm',
    );
  });

  it('older-system-newer-data asks, unless user data goes back as well', () => {
    const older = { forecast: { now: withSystem('9', '2026-03-05'), after: withSystem('9', '2026-01-05') } };
    expect(severity(older, 'older-system-newer-data')).toBe('confirm');
    expect(
      severity({ forecast: { now: withSystem('10'), after: withSystem('9') } }, 'older-system-newer-data'),
    ).toBe('confirm');
    const images = [...facts.images, image('userdata')];
    expect(check({ ...older, images }, 'older-system-newer-data')).toBeUndefined();
    const newer = { forecast: { now: withSystem('9', '2026-01-05'), after: withSystem('9', '2026-03-05') } };
    expect(check(newer, 'older-system-newer-data')).toBeUndefined();
  });

  it('part-of-boot-chain asks when others of the same build stay away, unless the bytes fit', () => {
    const slotted = {
      ...set,
      partitions: ['boot_a', 'init_boot_a', 'vbmeta_a', 'boot_b', 'system'],
    };
    const boot = image('boot', { partition: 'boot_a', onto: 'boot_a', set: slotted });
    expect(check({ images: [boot] }, 'part-of-boot-chain')).toMatchObject({
      severity: 'confirm',
      mend: { do: 'pick', partitions: ['init_boot_a', 'vbmeta_a'] },
    });
    const chain = ['init_boot_a', 'vbmeta_a'].map((name) => image(name, { set: slotted }));
    expect(check({ images: [boot, ...chain] }, 'part-of-boot-chain')).toBeUndefined();
    expect(
      check({ images: [boot], forecast: { now: loops, after: starts } }, 'part-of-boot-chain'),
    ).toBeUndefined();
    expect(check(only('boot'), 'part-of-boot-chain')).toBeUndefined();
    expect(check(only('system'), 'part-of-boot-chain')).toBeUndefined();
    const mixed = [boot, ...chain.map((each) => ({ ...each, set: { ...slotted, setId: 's2' } }))];
    expect(check({ images: mixed }, 'part-of-boot-chain')?.sentence).toMatch(/different sets/);
  });

  it('other-slot says where images go and which slot starts', () => {
    const moved = {
      images: [image('boot', { partition: 'boot_a', onto: 'boot_b' })],
      activeSlot: 'a' as const,
      partitions: slotted,
    };
    expect(check(moved, 'other-slot')?.sentence).toMatch(
      /boot_a goes to boot_b.*slot a starts: they lie there unused/,
    );
    expect(check({ ...moved, activate: 'b' }, 'other-slot')?.sentence).toMatch(
      /Slot b becomes the one that starts, instead of a/,
    );
    expect(
      check({ images: [image('boot', { onto: 'boot_a' })], activeSlot: 'a' }, 'other-slot')?.sentence,
    ).toMatch(/stays the one/);
    expect(check({}, 'other-slot')).toBeUndefined();
    expect(severity({ images: [], activate: 'a' }, 'other-slot')).toBe('stop');
    const elsewhere = { ...moved, activate: 'b' as const, slotsAreElsewhere: true };
    expect(check(elsewhere, 'other-slot')).toMatchObject({
      severity: 'stop',
      mend: { do: 'restart', into: 'bootloader' },
    });
  });

  it('first-start notes the long first start of a system or of user data', () => {
    expect(severity({}, 'first-start')).toBe('note');
    expect(check(only('boot'), 'first-start')).toBeUndefined();
  });

  it('duration compares with how long the imaging took', () => {
    expect(check({ imagingMs: 60_000 }, 'duration')).toMatchObject({ severity: 'note' });
    expect(check({}, 'duration')).toBeUndefined();
  });
});

describe('keep-first', () => {
  const keepFirst = {
    isWanted: true,
    partitions: [{ name: 'boot', bytes: 32 * MiB }],
    freeBytes: 64 * MiB,
    bytesPerSecond: 32 * MiB,
    canRead: true,
  };

  it('says what is kept before it is written over', () => {
    expect(check({ keepFirst }, 'keep-first')).toMatchObject({ severity: 'note', title: 'Kept first' });
    expect(check({ keepFirst: { ...keepFirst, isWanted: false } }, 'keep-first')?.title).toBe(
      'Not kept first',
    );
  });

  it('stops when there is no room for what is wanted, and only says so otherwise', () => {
    const full = { ...keepFirst, freeBytes: 31 * MiB };
    expect(severity({ keepFirst: full }, 'keep-first')).toBe('stop');
    expect(severity({ keepFirst: { ...full, isWanted: false } }, 'keep-first')).toBe('note');
  });

  it('is silent when all is kept, and honest where nothing can be read', () => {
    expect(check({ keepFirst: { ...keepFirst, partitions: [] } }, 'keep-first')).toBeUndefined();
    expect(check({ keepFirst: { ...keepFirst, canRead: false } }, 'keep-first')?.title).toBe(
      'Cannot be kept first',
    );
  });
});

describe('battery', () => {
  it.each([
    [59, false, 'stop'],
    [59, true, 'confirm'],
    [60, false, 'good'],
  ])('at %i %%, charging %s: %s', (percent, charging, expected) => {
    expect(severity({ phone: { ...phone, battery: { percent, charging } } }, 'battery')).toBe(expected);
  });

  it('that is unknown is asked about', () => {
    const without: PhoneFacts = { ...phone };
    delete (without as { battery?: unknown }).battery;
    expect(severity({ phone: without }, 'battery')).toBe('confirm');
  });
});

describe('what a package of firmware says of itself', () => {
  const came: PackageFacts = {
    devices: ['knot3', 'knot3x'],
    isIncremental: false,
    wipes: false,
    isDowngrade: false,
    requires: [
      { what: 'bootloader', versions: ['kb-1.4', 'kb-1.5'] },
      { what: 'baseband', versions: ['m7'] },
    ],
  };
  const of = (
    change: Partial<PackageFacts>,
    over: Partial<PhoneFacts> = {},
    names = ['boot', 'system'],
  ): Partial<RestoringFacts> => ({
    phone: { ...phone, device: 'knot3', ...over },
    images: names.map((name) => image(name, { set: { ...set, package: { ...came, ...change } } })),
  });

  it('is laid beside the name of the device', () => {
    expect(severity(of({}), 'package-device')).toBe('good');
    expect(check(of({}, { device: 'sedge10' }), 'package-device')).toMatchObject({
      severity: 'confirm',
      sentence: expect.stringContaining('knot3 or knot3x; this phone calls itself sedge10') as string,
    });
    const silent = { ...of({}), phone };
    expect(severity(silent, 'package-device')).toBe('note');
    expect(check(of({ devices: [] }), 'package-device')).toBeUndefined();
    expect(check({}, 'package-device')).toBeUndefined();
  });

  it('is laid beside the versions of bootloader and modem', () => {
    const versions = { bootloader: 'kb-1.4', baseband: 'm7,m7' };
    expect(check(of({}, { versions }), 'package-requires')).toMatchObject({
      severity: 'good',
      title: 'The bootloader fits',
    });
    const older = sheet(of({}, { versions: { bootloader: 'kb-1.2', baseband: 'm6' } })).checks.filter(
      ({ id }) => id === 'package-requires',
    );
    expect(older).toEqual([
      expect.objectContaining({
        severity: 'confirm',
        title: 'Another bootloader and baseband than the package asks for',
        sentence: expect.stringContaining('kb-1.4 or kb-1.5; the phone has kb-1.2') as string,
      }),
    ]);
    expect(check(of({}), 'package-requires')).toMatchObject({
      severity: 'note',
      title: 'Which bootloader the phone has is not known',
    });
    expect(check(of({}, {}, ['aboot', 'boot']), 'package-requires')).toMatchObject({
      severity: 'note',
      title: 'The bootloader goes along',
    });
  });

  it('asks where user data stay that it is made to erase, and where it is half a build', () => {
    expect(severity(of({ wipes: true }), 'package-limits')).toBe('confirm');
    expect(check(of({ wipes: true }, {}, ['boot', 'userdata']), 'package-limits')).toBeUndefined();
    expect(check(of({ isIncremental: true }), 'package-limits')).toMatchObject({ severity: 'confirm' });
    expect(check(of({}), 'package-limits')).toBeUndefined();
  });
});
