import { describe, expect, it } from 'vitest';
import type { PartitionFacts, PhoneFacts } from '../phone/facts.ts';
import type { PhoneTools } from '../phone/survey.ts';
import { makerTools } from './tool-checks.ts';
import { expectedBytesPerSecond, usualBytesPerSecond } from './estimate.ts';
import {
  imagingSheet,
  importingSheet,
  listText,
  obstacles,
  purposesOf,
  type CheckId,
  type ImagingFacts,
  type ImportingFacts,
  type RunSheet,
} from './run-sheets.ts';

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

  it('goes by how long keeping it again took, where it can be kept again', () => {
    const [kept, other] = facts.picked as [string, string];
    const bytesOf = (name: string) => facts.partitions.find((each) => each.name === name)!.bytes;
    const usual = (name: string) => (bytesOf(name) / facts.bytesPerSecond) * 1000;
    const paces = new Map([kept, other].map((name) => [name, facts.bytesPerSecond * 10]));
    const larder = { ...facts.larder, keptWhole: [kept] };
    const rest = facts.picked.filter((name) => name !== kept).reduce((sum, name) => sum + usual(name), 0);
    expect(sheet({ paces, larder }).expectedMs).toBeCloseTo(rest + usual(kept) / 10);
    expect(sheet({ paces, larder, readAll: true }).expectedMs).toBeCloseTo(rest + usual(kept));
  });

  it('says what the tools of the phone do not have', () => {
    const files: PartitionFacts = {
      name: 'userdata-files',
      role: 'user-data',
      bytes: 90 * MiB,
      archive: true,
    };
    const tools: PhoneTools = {
      ...({ isFramed: true, root: '', partitions: 9, reads: true, proof: 'sha256' } as const),
      digestsRanges: true,
      ...({ tar: true, labels: 'asked', tellsOwners: true, makesExt4: true, makesF2fs: false } as const),
      ...{ apps: undefined, sharedStorage: false, providers: [] },
    };
    const plan = (change: Partial<PhoneTools>) =>
      sheet({
        phone: { ...phone, tools: { ...tools, ...change } },
        partitions: [...partitions, files],
        picked: ['userdata-files'],
      });
    expect(check(plan({}), 'no-tar') ?? check(plan({}), 'no-labels')).toBeUndefined();
    expect(check(plan({ tar: false }), 'no-tar')?.severity).toBe('stop');
    expect(check(plan({ labels: 'none' }), 'no-labels')?.severity).toBe('note');
    const makes = (fileSystem: string | undefined, makesExt4: boolean, makesF2fs: boolean) =>
      makerTools({ ...phone, tools: { ...tools, makesExt4, makesF2fs } }, true, [
        { name: 'userdata', role: 'user-data', bytes: 1, ...(fileSystem && { fileSystem }) },
      ])[0]?.sentence;
    expect(
      makes('ext4', true, false) ?? makes('f2fs', false, true) ?? makes(undefined, true, false),
    ).toBeUndefined();
    expect(makes('ext4', false, false)).toMatch(/neither mke2fs nor make_f2fs/);
    expect(makes('f2fs', true, false)).toMatch(
      /to be f2fs, and in this mode the phone has mke2fs and no make_f2fs/,
    );
    expect(makes('ext4', false, true)).toMatch(/has make_f2fs and no mke2fs/);
  });

  it('says by what images are proved where that is not SHA-256', () => {
    const proof = (proof: PhoneFacts['proof']) =>
      check(sheet({ phone: { ...phone, ...(proof && { proof }) } }), 'weaker-proof')?.title;
    expect([undefined, 'sha256' as const].map(proof)).toEqual([undefined, undefined]);
    expect(proof('md5')).toBe('The phone proves by MD5');
    expect(proof('second reading')).toBe('The phone computes no digests');
  });

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

  it('early-loader-left-out notes what starts everything else', () => {
    const withLoader = [...partitions, { name: 'preloader', role: 'early-loader', bytes: 4 * MiB } as const];
    expect(check(sheet({ partitions: withLoader }), 'early-loader-left-out')).toMatchObject({
      severity: 'note',
      mend: { do: 'pick', partitions: ['preloader'] },
    });
    expect(
      check(sheet({ partitions: withLoader, picked: ['preloader'] }), 'early-loader-left-out'),
    ).toBeUndefined();
  });

  it('encrypted-user-data says what ciphertext is good for, and takes metadata along', () => {
    const encrypted = {
      phone: { ...phone, condition: { ...phone.condition, encrypted: true } },
      partitions: [...partitions, { name: 'metadata', role: 'user-data', bytes: 16 * MiB } as const],
    };
    expect(check(sheet({ ...encrypted, picked: ['userdata'] }), 'encrypted-user-data')).toMatchObject({
      mend: { do: 'pick', partitions: ['metadata'] },
    });
    expect(
      check(sheet({ ...encrypted, picked: ['userdata', 'metadata'] }), 'encrypted-user-data')?.mend,
    ).toBeUndefined();
    expect(check(sheet({ picked: ['userdata'] }), 'encrypted-user-data')).toBeUndefined();
  });

  it('says of archives what is in and what is out, and when user data is kept twice', () => {
    const files = (['userdata-files', 'shared-storage'] as const).map((name): PartitionFacts => ({
      name,
      role: 'user-data',
      bytes: 90 * MiB,
      archive: true,
    }));
    const both = { partitions: [...partitions, ...files] };
    expect(check(sheet({ ...both, picked: ['userdata-files'] }), 'shared-storage')).toMatchObject({
      severity: 'note',
      title: 'Photos and downloads are left out',
      mend: { do: 'pick', partitions: ['shared-storage'] },
    });
    expect(
      check(sheet({ ...both, picked: ['userdata-files', 'shared-storage'] }), 'shared-storage'),
    ).toMatchObject({ severity: 'good' });
    expect(check(sheet({ ...both, picked: ['userdata', 'userdata-files'] }), 'two-ways')?.severity).toBe(
      'note',
    );
  });

  it('reads less where only the blocks in use are wanted, and says what that leaves out', () => {
    const ext4 = partitions.map((each) =>
      each.name === 'userdata' ? { ...each, fileSystem: 'ext4' } : each,
    );
    const plan = sheet({ partitions: ext4, picked: ['userdata'], usedOnly: ['userdata', 'boot'] });
    expect(plan.bytes).toBe(90 * MiB);
    expect(check(plan, 'used-blocks')?.sentence).toMatch(/taken as zeros/);
    const live = sheet({
      partitions: ext4,
      picked: ['userdata'],
      usedOnly: ['userdata'],
      phone: { ...phone, mode: 'system' },
    });
    expect(check(live, 'used-blocks')?.sentence).toMatch(/userdata is in use and read whole/);
  });

  it('asks the phone first about what was kept whole and may be as it was', () => {
    const larder = { ...facts.larder, keptWhole: ['boot', 'efs', 'userdata', 'cache'] };
    const texts = (change: Partial<ImagingFacts> = {}) =>
      sheet({ picked: ['boot', 'efs', 'recovery', 'userdata'], larder, ...change }).steps.map(
        ({ text }) => text,
      );
    expect(texts()).toEqual([
      'Compare boot, read what changed',
      'Read recovery',
      'Compare userdata, read what changed',
      'Compare efs, read it if it changed',
    ]);
    expect(texts({ readAll: true })).not.toContainEqual(expect.stringContaining('Compare'));
    const small = partitions.map((each) => ({ ...each, bytes: MiB }));
    expect(texts({ partitions: small })).not.toContainEqual(expect.stringContaining('Compare'));
  });

  it('restarts first when it is told to, and judges the mode it will be in', () => {
    const live = { picked: ['userdata'], phone: { ...phone, mode: 'system' } as PhoneFacts };
    expect(check(sheet(live), 'live-file-system')).toMatchObject({
      mend: { do: 'restart-first', into: 'recovery' },
    });
    const plan = sheet({ ...live, restartInto: 'recovery' });
    expect(plan.steps.map(({ kind }) => kind)).toEqual(['restart', 'read']);
    expect(check(plan, 'live-file-system')).toBeUndefined();
    expect(plan.expectedMs).toBeGreaterThan(sheet(live).expectedMs);
  });

  it('expects little new on the shelf of what was kept before', () => {
    const first = sheet({ picked: ['userdata'] });
    const again = sheet({ picked: ['userdata'], larder: { ...facts.larder, kept: ['userdata'] } });
    expect(first.shelfBytes).toBe(90 * MiB);
    expect(again.shelfBytes).toBeLessThan(first.shelfBytes! / 10);
  });

  it('knows the usual picks, and what each leaves out', () => {
    const purposes = purposesOf(partitions, ['boot', 'gone']);
    expect(purposes.map(({ id }) => id)).toEqual([
      'before-flash',
      'boot-chain',
      'identity',
      'everything',
      'as-last-time',
    ]);
    expect(purposes[0]!.leavesOut).toBe('leaves out user data, scratch');
    expect(purposes[3]!.leavesOut).toBe('leaves out scratch');
    expect(purposes[4]!.picked).toEqual(['boot']);
    expect(
      purposesOf([{ name: 'x', role: 'other', bytes: 1 }], []).map(({ leavesOut }) => leavesOut),
    ).toContain('leaves nothing out');
  });

  it('battery asks when the run is expected to take what is left', () => {
    const long = { bytesPerSecond: 4096, phone: { ...phone, battery: { percent: 70, charging: false } } };
    const plan = sheet({ ...long, picked: ['userdata'] });
    expect(check(plan, 'battery')).toMatchObject({ severity: 'confirm' });
    expect(check(plan, 'battery')!.sentence).toMatch(/The run takes about \d+ %/);
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

describe('importing', () => {
  const image = {
    partition: 'boot',
    paths: ['boot.img'],
    bytes: 1000,
    imageBytes: 4096,
    notes: [],
    isListed: true,
  };
  const base: ImportingFacts = {
    images: [image],
    left: [],
    label: 'From files',
    serial: 'S1',
    partitions: [{ name: 'boot', bytes: 8192 }],
    labels: [],
    shelf: { freeBytes: 1e9 },
    bytesPerSecond: 1e6,
  };
  const knot3 = { maker: 'Tidewell', model: 'Knot 3' };
  const found = (over: Partial<ImportingFacts>) =>
    importingSheet({ ...base, ...over }).checks.map(({ id, severity }) => `${id} ${severity}`);

  it('is clear when every file has its partition and its checksum', () => {
    expect(found({})).toEqual(['checksums-beside good']);
    expect(found({ serial: '', firmwareOf: knot3 })).toEqual(['checksums-beside good']);
    expect(importingSheet(base)).toMatchObject({
      bytes: 4096,
      steps: [{ kind: 'read', text: 'Take in boot from boot.img', partition: 'boot', bytes: 4096 }],
    });
  });

  it.each<[Partial<ImportingFacts>, string]>([
    [{ images: [] }, 'nothing-picked stop'],
    [{ serial: '' }, 'phone-not-named stop'],
    [{ firmwareOf: knot3, images: [{ ...image, partition: 'efs' }] }, 'identity-in-firmware stop'],
    [{ label: ' ' }, 'name-taken stop'],
    [{ labels: ['From files'] }, 'name-taken stop'],
    [{ shelf: { freeBytes: 4095 } }, 'shelf-space stop'],
    [{ images: [image, { ...image, paths: ['copy of boot.img'] }] }, 'two-for-one stop'],
    [{ partitions: [{ name: 'boot', bytes: 4000 }] }, 'image-too-large confirm'],
    [{ images: [{ ...image, notes: ['Odd.'] }] }, 'content-differs note'],
    [{ images: [{ ...image, isListed: false }] }, 'checksums-beside note'],
    [{ left: ['note.bin'] }, 'not-matched note'],
  ])('with %j says %s', (over, check) => {
    expect(found(over)).toContain(check);
  });
});
