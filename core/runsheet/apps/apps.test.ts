import { describe, expect, it } from 'vitest';
import { folderKinds, type AppCopy, type CopiedApp, type PartKind } from '../../apps/copies.ts';
import type { PhoneFacts } from '../../phone/facts.ts';
import { appFacts } from '../../testing/apps.ts';
import { copyingSheet } from './copying.ts';
import type { CopyingFacts, PuttingAppsFacts } from './facts.ts';
import { movingSheet, movingVerdicts, type MovingFacts } from './moving.ts';
import { puttingAppsSheet } from './putting-back.ts';

const phone: PhoneFacts = {
  serial: 'TW3K-10482',
  maker: 'Tidewell',
  model: 'Knot 3',
  mode: 'system',
  root: true,
  abis: ['arm64-v8a', 'armeabi-v7a'],
  condition: { kind: 'rooted', androidVersion: '9', bootloaderUnlocked: true },
  battery: { percent: 82, charging: true },
};
const everything: PartKind[] = ['program', 'data', 'device-data'];
const byId = (checks: readonly { id: string; severity: string }[]) =>
  Object.fromEntries(checks.map(({ id, severity }) => [id, severity]));

describe('the run sheet of copying apps', () => {
  const facts = (over: Partial<CopyingFacts> = {}): CopyingFacts => ({
    phone,
    installed: [appFacts('tidebook'), appFacts('marshlog', { isRunning: true })],
    picked: [{ package: 'example.tidebook', parts: everything }],
    sdk: 30,
    shelf: { freeBytes: 1 << 30 },
    bytesPerSecond: 1 << 20,
    ...over,
  });
  const checks = (over: Partial<CopyingFacts> = {}) => byId(copyingSheet(facts(over)).checks);

  it('has a step for each app, with its bytes and the time of the whole', () => {
    const sheet = copyingSheet(facts());
    expect(sheet.steps).toEqual([
      { kind: 'copy', text: 'Copy Tidebook', app: 'example.tidebook', bytes: 7 << 20 },
    ]);
    expect([sheet.bytes, sheet.expectedMs]).toEqual([7 << 20, 7400]);
    const program = [{ package: 'example.tidebook', parts: ['program'] as PartKind[] }];
    expect(copyingSheet(facts({ picked: program })).bytes).toBe(5 << 20);
  });

  it('says nothing but good of a phone in order', () => {
    expect(checks()).toEqual({ 'shelf-space': 'good', battery: 'good', 'caches-left-out': 'note' });
  });

  it('says what is stopped, and only for data', () => {
    const running = { package: 'example.marshlog', parts: everything };
    expect(checks({ picked: [running] })['app-running']).toBe('note');
    expect(checks({ picked: [{ ...running, parts: ['program'] }] })['app-running']).toBeUndefined();
  });

  it.each<[string, string, Partial<CopyingFacts>]>([
    ['mode-has-no-apps', 'stop', { phone: { ...phone, mode: 'recovery' } }],
    ['through-backup', 'note', { phone: { ...phone, root: false } }],
    ['nothing-picked', 'stop', { picked: [] }],
    ['nothing-picked', 'stop', { picked: [{ package: 'example.gone', parts: everything }] }],
    ['shelf-space', 'stop', { shelf: { freeBytes: 1 << 20 } }],
    ['battery', 'stop', { phone: { ...phone, battery: { percent: 9, charging: false } } }],
    ['hardware-keys', 'note', { installed: [appFacts('tidebook', { hasHardwareKeys: true })] }],
  ])('%s is a %s', (id, severity, over) => {
    expect(checks(over)[id]).toBe(severity);
  });

  it('asks nothing on the screen for programs alone', () => {
    const program = [{ package: 'example.tidebook', parts: ['program'] as PartKind[] }];
    expect(checks({ phone: { ...phone, root: false }, picked: program })['through-backup']).toBeUndefined();
  });

  it('names without root the apps that give no data, and wants more than that of them', () => {
    const installed = [
      appFacts('tidebook', { allowsBackup: false }),
      appFacts('dunebank', { targetSdk: 33 }),
      appFacts('marshlog'),
    ];
    const picked = installed.map(({ package: name }) => ({ package: name, parts: everything }));
    const over = { phone: { ...phone, root: false }, installed, picked, sdk: 33 };
    const told = (more: Partial<CopyingFacts> = {}) =>
      copyingSheet(facts({ ...over, ...more })).checks.find(({ id }) => id === 'gives-no-backup')!;
    expect(told()).toMatchObject({
      severity: 'confirm',
      title: '2 apps give no data',
      sentence:
        'Tidebook forbids backups and Dunebank is made for Android 12 or later. Their programs alone are copied; the data stays on the phone.',
    });
    const bare = picked.map((each) => ({ ...each, parts: ['data'] as PartKind[] }));
    expect(told({ picked: bare }).severity).toBe('stop');
    expect(told({ sdk: 30, picked: picked.slice(1) })).toBeUndefined();
    expect(told({ phone })).toBeUndefined();
  });
});

describe('the run sheet of putting apps back', () => {
  const copied = (over: Partial<CopiedApp> = {}): CopiedApp => ({
    package: 'example.tidebook',
    label: 'Tidebook',
    versionCode: 41,
    uid: 10_061,
    minSdk: 24,
    abis: ['arm64-v8a'],
    certificates: ['ab'.repeat(32)],
    isBuiltIn: false,
    isEnabled: true,
    permissions: [],
    hasHardwareKeys: false,
    sdk: 28,
    ...over,
  });
  const part = (kind: PartKind, bytes = 1 << 20) => ({ name: kind, kind, bytes, sha256: '' });
  const copy = (over: Partial<CopiedApp> = {}, serial = phone.serial): AppCopy => ({
    id: 'c1',
    serial,
    createdAt: 1,
    app: copied(over),
    parts: [part('program'), ...folderKinds.slice(0, 2).map((kind) => part(kind))],
  });
  const facts = (over: Partial<PuttingAppsFacts> = {}): PuttingAppsFacts => ({
    phone,
    installed: [],
    picked: [{ copy: copy(), parts: everything }],
    surroundings: { freeBytes: 1 << 30, sdk: 28 },
    bytesPerSecond: 1 << 20,
    ...over,
  });
  const of = (app: Partial<CopiedApp>, over: Partial<PuttingAppsFacts> = {}, serial?: string) =>
    facts({ picked: [{ copy: copy(app, serial), parts: everything }], ...over });
  const there = appFacts('tidebook', { abis: ['arm64-v8a'] });

  it('says nothing but good where the app is missing and fits', () => {
    const sheet = puttingAppsSheet(facts());
    expect(byId(sheet.checks)).toEqual({ battery: 'good', 'app-space': 'good' });
    expect(sheet.steps).toEqual([
      {
        kind: 'put-back',
        text: 'Put back Tidebook: program and data',
        app: 'example.tidebook',
        bytes: 3 << 20,
      },
    ]);
  });

  it.each<[string, string, PuttingAppsFacts]>([
    ['mode-has-no-apps', 'stop', facts({ phone: { ...phone, mode: 'recovery' } })],
    ['needs-root', 'stop', facts({ phone: { ...phone, root: false } })],
    ['nothing-picked', 'stop', facts({ picked: [] })],
    ['nothing-in-copy', 'stop', facts({ picked: [{ copy: copy(), parts: ['obb'] }] })],
    ['signature-differs', 'stop', of({ certificates: ['cd'.repeat(32)] }, { installed: [there] })],
    [
      'signature-differs',
      'stop',
      of(
        { sharedUserId: 'example.shared' },
        {
          installed: [appFacts('other', { sharedUserId: 'example.shared', certificates: ['cd'.repeat(32)] })],
        },
      ),
    ],
    ['older-program', 'confirm', of({ versionCode: 40 }, { installed: [there] })],
    ['needs-newer-android', 'stop', of({ minSdk: 29 })],
    ['wrong-processor', 'stop', of({ abis: ['x86_64'] })],
    ['data-without-program', 'stop', facts({ picked: [{ copy: copy(), parts: ['data'] }] })],
    ['hardware-keys', 'confirm', of({ hasHardwareKeys: true })],
    ['hardware-keys', 'confirm', of({ hasHardwareKeys: true }, { installed: [there] }, 'MS10-70055')],
    ['one-phone-account', 'confirm', of({ package: 'example.harbourchat' }, {}, 'MS10-70055')],
    ['checks-the-phone', 'note', of({ package: 'example.dunebank' })],
    ['system-record-version', 'confirm', of({ isBuiltIn: true, sdk: 30 })],
    ['app-space', 'stop', of({}, { surroundings: { freeBytes: 1 << 20, sdk: 28 } })],
    ['app-running', 'note', of({}, { installed: [{ ...there, isRunning: true }] })],
    ['data-replaced', 'note', of({}, { installed: [there] })],
    ['battery', 'stop', facts({ phone: { ...phone, battery: { percent: 40, charging: false } } })],
  ])('%s is a %s', (id, severity, given) => {
    expect(byId(puttingAppsSheet(given).checks)[id]).toBe(severity);
  });

  it.each<[string, PuttingAppsFacts]>([
    ['signature-differs', of({}, { installed: [there] })],
    [
      'older-program',
      of({ versionCode: 40 }, { installed: [there], picked: [{ copy: copy(), parts: ['data'] }] }),
    ],
    ['hardware-keys', of({ hasHardwareKeys: true }, { installed: [{ ...there, hasHardwareKeys: true }] })],
    ['one-phone-account', of({ package: 'example.harbourchat' })],
    [
      'checks-the-phone',
      of(
        { package: 'example.dunebank' },
        { phone: { ...phone, root: false, condition: { kind: 'stock', bootloaderUnlocked: false } } },
      ),
    ],
    ['data-replaced', facts({ installed: [there], picked: [{ copy: copy(), parts: ['program'] }] })],
    ['wrong-processor', of({ abis: [] })],
  ])('%s is silent where it does not hold', (id, given) => {
    expect(byId(puttingAppsSheet(given).checks)[id]).toBeUndefined();
  });

  it('names all apps that have the same fault in one check, and offers to leave them out', () => {
    const two = [
      copy({ minSdk: 29, label: 'Newer' }),
      copy({ package: 'example.b', label: 'Newest', minSdk: 30 }),
      copy(),
    ];
    const given = facts({ picked: two.map((each) => ({ copy: each, parts: everything })) });
    const [check] = puttingAppsSheet(given).checks;
    expect(check!.title).toBe('2 apps need a newer Android');
    expect(check!.sentence).toMatch(/^Newer and Newest: /);
    expect(check!.mend).toEqual({ do: 'unpick', partitions: ['example.tidebook', 'example.b'] });
  });

  it('offers the program where data alone has nowhere to go', () => {
    const [check] = puttingAppsSheet(facts({ picked: [{ copy: copy(), parts: ['data'] }] })).checks;
    expect(check!.mend).toEqual({ do: 'add-programs' });
  });

  it('as a backup of the phone’s own: all programs, all data at once, then grants', () => {
    const locked = { ...phone, root: false, condition: { ...phone.condition, bootloaderUnlocked: false } };
    const asked = puttingAppsSheet(facts({ phone: locked })).checks.find(({ id }) => id === 'needs-root');
    expect(asked!.mend).toEqual({ do: 'through-backup' });
    const there = appFacts('tidebook', { targetSdk: 33, dataBytes: undefined });
    const given = facts({ phone: locked, through: 'backup', installed: [there] });
    const sheet = puttingAppsSheet({ ...given, surroundings: { ...given.surroundings, sdk: 30 } });
    expect(sheet.steps.map(({ kind }) => kind)).toEqual(['install', 'hand-over', 'set-state']);
    expect(sheet.steps.map(({ bytes }) => bytes >> 20)).toEqual([1, 2, 0]);
    expect(byId(sheet.checks)).toMatchObject({ 'through-backup': 'note', 'data-replaced': 'note' });
    expect(sheet.checks.find(({ id }) => id === 'data-replaced')!.sentence).toMatch(/cannot be taken back/);
    const newer = puttingAppsSheet({ ...given, surroundings: { ...given.surroundings, sdk: 33 } });
    expect(byId(newer.checks)['gives-no-backup']).toBe('stop');
  });

  it('through recovery: all programs, a restart, all data, a restart, then grants', () => {
    const stock = { ...phone, root: false };
    expect(byId(puttingAppsSheet(facts({ phone: stock })).checks)['needs-root']).toBe('stop');
    const sheet = puttingAppsSheet(facts({ phone: stock, through: 'recovery' }));
    expect(byId(sheet.checks)).toMatchObject({ 'through-recovery': 'note' });
    expect(sheet.steps.map(({ kind }) => kind)).toEqual([
      'install',
      'restart',
      'put-data',
      'restart',
      'set-state',
    ]);
    expect(sheet.steps.map(({ bytes }) => bytes >> 20)).toEqual([1, 0, 2, 0, 0]);
    const encrypted = { ...stock, condition: { ...stock.condition, encrypted: true } };
    expect(
      byId(puttingAppsSheet(facts({ phone: encrypted, through: 'recovery' })).checks)['needs-root'],
    ).toBe('stop');
  });
});

describe('the run sheet of moving apps', () => {
  const tablet: PhoneFacts = { ...phone, serial: 'MS10-70055', abis: ['armeabi-v7a'] };
  const facts = (names: readonly string[]): MovingFacts => ({
    source: {
      phone,
      nickname: 'Ringing hut',
      sdk: 28,
      installed: [
        appFacts('tidebook', { abis: ['arm64-v8a', 'armeabi-v7a'] }),
        appFacts('ringcode', { abis: ['arm64-v8a'] }),
        appFacts('harbourchat', { label: 'Harbour Chat' }),
      ],
    },
    target: {
      phone: tablet,
      nickname: 'Visitor desk',
      installed: [],
      surroundings: { freeBytes: 1 << 30, sdk: 30 },
    },
    picked: names.map((name) => ({ package: `example.${name}`, parts: everything })),
    shelf: { freeBytes: 1 << 30 },
    bytesPerSecond: 1 << 20,
  });

  it('copies, removes where an account lives on one phone, and only then puts', () => {
    const sheet = movingSheet(facts(['tidebook', 'harbourchat']));
    expect(sheet.steps.map(({ text }) => text)).toEqual([
      'Copy Tidebook',
      'Copy Harbour Chat',
      'Remove Harbour Chat from Ringing hut',
      'Put back Tidebook: program and data',
      'Put back Harbour Chat: program and data',
    ]);
    expect(sheet.onSource).toHaveLength(3);
    const account = sheet.checks.find(({ id }) => id === 'one-phone-account')!;
    expect([account.severity, account.title]).toEqual([
      'confirm',
      'Visitor desk: One account lives on one phone at a time',
    ]);
    expect(account.sentence).toMatch(/copied, then removed from Ringing hut, and only then/);
  });

  it('says of each app what will go, and what cannot and why', () => {
    const verdicts = movingVerdicts(facts(['tidebook', 'ringcode', 'harbourchat']));
    expect(verdicts.map(({ findings: [first] }) => [first?.id, first?.severity])).toEqual([
      [undefined, undefined],
      ['wrong-processor', 'stop'],
      ['one-phone-account', 'confirm'],
    ]);
    expect(byId(movingSheet(facts(['ringcode'])).checks)['wrong-processor']).toBe('stop');
    expect(byId(movingSheet(facts([])).checks)['nothing-picked']).toBe('stop');
  });

  it('takes along from a phone without root what its own backup gives whole, and says what it does not', () => {
    const whole = facts(['tidebook', 'ringcode', 'harbourchat']);
    const installed = whole.source.installed.map((app) =>
      app.label === 'Ringcode' ? { ...app, abis: [], allowsBackup: false } : app,
    );
    const source = { ...whole.source, phone: { ...phone, root: false }, installed };
    const verdicts = movingVerdicts({ ...whole, source });
    expect(verdicts.map(({ findings: [first] }) => first?.sentence)).toEqual([
      undefined,
      'Ringcode forbids backups: its data comes only with root. Leave it out.',
      expect.stringMatching(
        /^Harbour Chat must be removed from Ringing hut before it starts on Visitor desk/,
      ),
    ]);
    const sheet = movingSheet({ ...whole, source });
    expect(byId(sheet.checks)).toMatchObject({ 'gives-no-backup': 'stop', 'through-backup': 'note' });
    const one = movingSheet({ ...facts(['tidebook']), source });
    expect(byId(one.checks)['gives-no-backup']).toBeUndefined();
    expect(one.checks.filter(({ severity }) => severity === 'stop')).toEqual([]);
  });
});
