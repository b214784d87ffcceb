// The words that are said to phones, judged by tools that nobody here wrote: mksh with toybox, and busybox, on loop devices
// with real file systems. Source of the tools: Debian's packages mksh, busybox and toybox (its source, built with `dd`).
import { execFileSync } from 'node:child_process';
import { createCipheriv, createHash } from 'node:crypto';
import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openOn, putting, testFolder, until } from '../../testing/bench.ts';
import { UserlandPhone, whyNotHere, type Personality } from '../../testing/userland/userland-phone.ts';
import { isLong } from '../../testing/effort.ts';
import { census, layOddFiles, mounted } from '../../testing/userland/odd-files.ts';
import { archivedEntries } from '../formats/tar.ts';
import { readImage } from '../shelf/image-reader.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { startImaging } from '../runs/imaging/imaging.ts';
import { startRestoring } from '../runs/restoring/restoring.ts';

const missing = whyNotHere();
if (missing) process.stderr.write(`No phone's own tools are tried: ${missing}.\n`);

const folder = testFolder();
afterAll(() => folder.remove());

const serial = 'UL-40117';
const properties = {
  'ro.serialno': serial,
  'ro.product.manufacturer': 'Tidewell',
  'ro.product.model': 'Knot 3',
  'ro.product.cpu.abilist': 'arm64-v8a,armeabi-v7a',
};
/** Bytes that look like nothing. */
const noise = (seed: string, bytes: number) =>
  createCipheriv('aes-128-ctr', createHash('md5').update(seed).digest(), Buffer.alloc(16)).update(
    Buffer.alloc(bytes),
  );
const partitions = [
  { name: 'logo', bytes: Buffer.concat([noise('logo', 5 << 20), Buffer.alloc(11 << 20)]) },
  { name: 'modem', bytes: noise('modem', 3 << 20) },
  { name: 'misc', bytes: new Uint8Array(1 << 20) },
  { name: 'frp', bytes: noise('frp', 512 << 10) },
];
const userDataMebibytes = isLong ? 96 : 48;
const packedIsFaster = {
  read: { plain: 1, packed: 2, share: 0.1 },
  write: { plain: 1, packed: 2, share: 0.1 },
};
async function* parts(bytes: Buffer): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < bytes.length; at += 1 << 20)
    yield await Promise.resolve(bytes.subarray(at, at + (1 << 20)));
}
const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

const personalities: readonly [string, Personality][] = [
  ['recovery with toybox', { mode: 'recovery', tools: 'toybox', root: 'daemon' }],
  ['system with toybox and su -c', { mode: 'system', tools: 'toybox', root: 'su -c' }],
];
/** With `npm run kills`: what is their own of these is tried command by command on every run of the tests. */
const morePersonalities: typeof personalities = [
  [
    'recovery with busybox',
    {
      ...{ mode: 'recovery', tools: 'busybox', root: 'daemon' },
      byName: '/dev/block/platform/soc/7824900.sdhci/by-name',
    },
  ],
  [
    'old recovery with busybox',
    { mode: 'recovery', tools: 'busybox', root: 'daemon', isOld: true, lacks: ['sha256sum', 'md5sum'] },
  ],
  ['system with toybox and su 0', { mode: 'system', tools: 'toybox', root: 'su 0' }],
  [
    'old recovery with toybox',
    { mode: 'recovery', tools: 'toybox', root: 'daemon', isOld: true, lacks: ['sha256sum'] },
  ],
];
const tried = isLong ? [...personalities, ...morePersonalities] : personalities;

/** A system that gives no root: what it is, what it shares, and what is left closed. */
describe.skipIf(missing !== undefined)('system without root', () => {
  it('is surveyed, and what it shares is kept, proved', async () => {
    const own = join(folder.path, 'without-root');
    mkdirSync(own, { recursive: true });
    const image = join(own, 'userdata.img');
    execFileSync('mke2fs', ['-q', '-t', 'ext4', '-b', '4096', image, '32M']);
    const photos = noise('photos', 3 << 20);
    await mounted(image, (root) => {
      mkdirSync(join(root, 'media/0/DCIM'), { recursive: true });
      writeFileSync(join(root, 'media/0/DCIM/a photo.jpg'), photos);
      writeFileSync(join(root, 'media/0/notes'), 'of its owner');
      mkdirSync(join(root, 'data/example.tide'), { recursive: true, mode: 0o700 });
      return Promise.resolve();
    });
    const personality: Personality = { mode: 'system', tools: 'toybox', root: 'none' };
    const phone = await UserlandPhone.start(own, personality, properties, [
      ...partitions,
      { name: 'userdata', bytes: readFileSync(image) },
    ]);
    const app = await openOn(join(own, 'home'), undefined, { addresses: [phone.address] });
    try {
      await until('the phone', () => app.bench.linkIn(serial) !== undefined);
      const flash = () => partitions.map(({ name }) => sha256(readFileSync(phone.fileOf(name))));
      const laid = flash();
      const { tools } = await app.bench.makeSurvey(serial);
      expect(flash()).toEqual(laid);
      expect(tools).toMatchObject({
        root: undefined,
        partitions: 0,
        reads: false,
        tar: true,
        sharedStorage: true,
      });
      const list = await app.bench.partitions(serial);
      expect(list).toMatchObject([{ name: 'shared-storage', archive: true }]);
      expect(list[0]!.bytes).toBeGreaterThan(photos.length);
      const request = {
        picked: ['shared-storage'],
        label: 'shared',
        confirmed: ['live-file-system', 'battery'],
      };
      const run = await app.engine.ended((await startImaging(app, serial, request)).id);
      expect(run.state, run.outcome).toBe('done');
      const kept = await archivedEntries(
        readImage(app.larder.shelf, app.larder.image(run.setId!, 'shared-storage')),
      );
      expect(kept.get('./DCIM/a photo.jpg')).toMatchObject({
        sha256: sha256(photos),
        uid: 1023,
        gid: 1023,
        mode: 0o664,
      });
      expect([...kept.keys()].sort()).toEqual(['./', './DCIM/', './DCIM/a photo.jpg', './notes']);
    } finally {
      await app.close();
      await phone.close();
    }
  });
});

describe.skipIf(missing !== undefined).each(tried)('%s', (name, personality) => {
  let phone: UserlandPhone;
  let app: KeenLarder;
  let before: Map<string, string>;
  const tellsLabels = personality.tools === 'toybox';
  const userData = () => phone.fileOf('userdata');
  const { lacks = [] } = personality;
  const proof = !lacks.includes('sha256sum') ? 'sha256' : lacks.includes('md5sum') ? 'second reading' : 'md5';
  const confirmed = ['battery', 'will-wipe', 'version-unknown', 'live-file-system', 'boot-forecast'];
  const restore = async (set: string, picked: readonly string[], over: object = {}) => {
    const start = putting(set, picked, { restartAfter: false, confirmed, ...over }, serial);
    const run = await app.engine.ended((await startRestoring(app, serial, start)).id);
    const log = app.engine
      .logOf(run.id)
      .map(({ text }) => text)
      .join('\n');
    expect(run.state, `${run.outcome}\n${log}`).toBe('done');
    return { ...run, log };
  };

  /** What is tried on every run of the tests; on the others with the campaigns. */
  const isFirst = personality === personalities[0]![1];
  const logOf = (set: string) =>
    app.engine
      .logOf(app.engine.list().find(({ setId }) => setId === set)!.id)
      .map(({ text }) => text)
      .join('\n');

  const keep = async (label: string, picked: readonly string[], usedOnly: readonly string[] = []) => {
    const request = {
      ...{ picked: [...picked], label, usedOnly: [...usedOnly] },
      confirmed: ['identity-left-out', 'live-file-system', 'battery'],
    };
    const run = await app.engine.ended((await startImaging(app, serial, request)).id);
    expect(['done', 'incomplete'], run.outcome).toContain(run.state);
    return run.setId!;
  };

  beforeAll(async () => {
    const own = join(folder.path, name.replaceAll(' ', '-'));
    mkdirSync(own, { recursive: true });
    const image = join(own, 'userdata.img');
    // What is left for later would be written by the kernel while nobody expects it.
    const atOnce = 'lazy_itable_init=0,lazy_journal_init=0';
    execFileSync('mke2fs', ['-q', '-t', 'ext4', '-b', '4096', '-E', atOnce, image, `${userDataMebibytes}M`]);
    before = await mounted(image, async (root) => {
      await layOddFiles(root, isLong ? 2800 : 60);
      return census(root, ['media']);
    });
    phone = await UserlandPhone.start(own, personality, properties, [
      ...partitions,
      { name: 'userdata', bytes: readFileSync(image) },
    ]);
    app = await openOn(join(folder.path, `home ${name}`), undefined, {
      addresses: [phone.address],
      packsOnCables: true,
    });
    await until('the phone', () => app.bench.linkIn(serial) !== undefined);
  });
  afterAll(async () => {
    await app?.close();
    await phone?.close();
  });

  it('is surveyed, and nothing is written to it', async () => {
    const flash = () => {
      execFileSync('sync');
      return [...partitions.map((each) => each.name), 'userdata'].map((partition) =>
        sha256(readFileSync(phone.fileOf(partition))),
      );
    };
    const laid = flash();
    const { tools, findings } = await app.bench.makeSurvey(serial);
    expect(flash()).toEqual(laid);
    expect(tools).toEqual({
      isFramed: !personality.isOld,
      root: { daemon: '', 'su -c': 'su -c', 'su 0': 'su 0 sh -c', none: undefined }[personality.root],
      partitions: partitions.length + 1,
      reads: true,
      proof,
      digestsRanges: true,
      tar: true,
      labels: tellsLabels ? 'asked' : 'unknown',
      tellsOwners: true,
      makesExt4: true,
      makesF2fs: false,
      apps: undefined,
      sharedStorage: personality.mode === 'system',
      providers: [],
    });
    const told = Object.fromEntries(findings.map(({ what, result }) => [what, result]));
    expect(told).toMatchObject({ Root: 'works', make_f2fs: 'missing', mke2fs: 'not tried' });
    expect(told['Packing on the cable']).toBe(personality.root === 'none' ? undefined : 'works');
    expect(app.bench.survey(serial)?.tools).toEqual(tools);
  });

  it('lists partitions, keeps them proved, and takes them back', async () => {
    const found = await app.bench.partitions(serial);
    expect(
      found
        .filter(({ name }) => partitions.some((each) => each.name === name))
        .map(({ name, bytes }) => [name, bytes]),
    ).toEqual(
      [...partitions]
        .sort((a, b) => (a.name < b.name ? -1 : 1))
        .map((each) => [each.name, each.bytes.length]),
    );
    const set = await keep('kept', ['logo', 'frp', 'modem']);
    const digests = Object.fromEntries(
      app.larder.detail(set).images.map(({ partition, sha256: digest }) => [partition, digest]),
    );
    for (const partition of ['logo', 'frp', 'modem'])
      expect(digests[partition]).toBe(sha256(readFileSync(phone.fileOf(partition))));
    expect(new Set(app.larder.detail(set).images.map((image) => image.proof))).toEqual(new Set([proof]));
    if (personality.mode === 'system') return;
    phone.shell('dd if=/dev/urandom of=/dev/block/mmcblk0p1 bs=4096 count=2000 seek=3 conv=notrunc; sync');
    phone.shell('dd if=/dev/zero of=/dev/block/mmcblk0p2 bs=4096 count=10 conv=notrunc; sync');
    const { log } = await restore(set, ['logo', 'modem']);
    const words = { sha256: 'the phone computes the same SHA-256', md5: 'the phone computes the same MD5' };
    expect(log).toContain(proof === 'second reading' ? 'read back, it has the same SHA-256' : words[proof]);
    for (const [at, partition] of (['logo', 'modem'] as const).entries())
      expect(sha256(readFileSync(phone.fileOf(partition)))).toBe(sha256(partitions[at]!.bytes));
    const again = await keep('again', ['logo']);
    expect(logOf(again)).toContain('not read again');
  });

  // On old ones with `npm run kills`.
  it.runIf(personality.mode === 'recovery' && (isFirst || isLong))(
    'keeps again and puts back only what differs',
    async () => {
      const first = await keep('all of it', ['userdata']);
      const kept = sha256(readFileSync(userData()));
      for (const at of [5000, 5001, 10_000])
        phone.shell(
          `dd if=/dev/urandom of=/dev/block/mmcblk0p${partitions.length + 1} bs=4096 count=1 seek=${at} conv=notrunc; sync`,
        );
      const again = await keep('what differs', ['userdata']);
      const changed = sha256(readFileSync(userData()));
      expect(changed).not.toBe(kept);
      expect(app.larder.detail(again).images[0]!.sha256).toBe(changed);
      const { log } = await restore(first, ['userdata']);
      expect(sha256(readFileSync(userData()))).toBe(kept);
      if (proof === 'second reading') return;
      expect(logOf(again)).toContain(
        `userdata: ${userDataMebibytes - 2} MiB are as in “all of it”; 2 MiB were read.`,
      );
      expect(log).toContain(
        `userdata: ${userDataMebibytes - 2} MiB were as kept already; 2 MiB were written.`,
      );
    },
  );

  // Two thousand, and through `su` as well, with `npm run kills`.
  it.runIf(personality.root === 'daemon' || isLong)('reads and digests ranges', async () => {
    const access = app.bench.access(serial);
    const ranges = Array.from({ length: isLong ? 2048 : 100 }, (_, i) => ({ offset: i * 8192, bytes: 4096 }));
    const device = readFileSync(phone.fileOf('logo'));
    const expected = Buffer.concat(
      ranges.map(({ offset, bytes }) => device.subarray(offset, offset + bytes)),
    );
    const read: Buffer[] = [];
    for await (const part of access.read('logo', ranges)) read.push(Buffer.from(part));
    expect(sha256(Buffer.concat(read))).toBe(sha256(expected));
    const by = proof === 'md5' ? 'md5' : 'sha256';
    const hex = createHash(by).update(expected).digest('hex');
    expect(await access.digest('logo', ranges)).toEqual({ by, hex });
  });

  it.runIf(personality.root === 'daemon' || isLong)('packs what crosses the cable, both ways', async () => {
    const access = app.bench.access(serial);
    access.cable!.recall(packedIsFaster);
    const whole = readFileSync(phone.fileOf('logo'));
    const ranges = [
      { offset: 0, bytes: 5000 },
      { offset: 8192, bytes: whole.length - 8192 },
    ];
    const read: Buffer[] = [];
    for await (const part of access.read('logo', ranges)) read.push(Buffer.from(part));
    expect(sha256(Buffer.concat(read))).toBe(
      sha256(Buffer.concat([whole.subarray(0, 5000), whole.subarray(8192)])),
    );
    const crossed = access.cable!.takeCrossed();
    expect(crossed.packedBy).toBe('gzip');
    expect(crossed.carriedBytes).toBeLessThan(crossed.bytes);
    if (personality.mode !== 'recovery') return;
    const changed = Buffer.from(whole);
    changed.fill('packed', 1 << 20, (3 << 20) + 5);
    await access.write('logo', parts(changed));
    expect(access.cable!.takeCrossed().packedBy).toBe('gzip');
    expect(sha256(readFileSync(phone.fileOf('logo')))).toBe(sha256(changed));
    await access.write('logo', parts(whole));
    access.cable!.carryPlainly();
  });

  it.runIf(personality.mode === 'recovery' && (isFirst || isLong))(
    'keeps the blocks in use of a file system, proved, and puts them back',
    async () => {
      const set = await keep('used', ['userdata'], ['userdata']);
      const image = app.larder.image(set, 'userdata');
      expect(image.ranges!.length).toBeGreaterThan(20);
      execFileSync(
        'dd',
        ['if=/dev/urandom', `of=${userData()}`, 'bs=1M', 'seek=1', 'count=90', 'conv=notrunc'],
        {
          stdio: 'ignore',
        },
      );
      await restore(set, ['userdata']);
      execFileSync('e2fsck', ['-fn', userData()], { stdio: 'ignore' });
      expect(await mounted(userData(), (root) => census(root, ['media']))).toEqual(before);
    },
  );

  // What of it differs on these two is tried by others as well.
  const isTriedElsewhere = personality.root === 'su 0' || proof === 'md5';
  it.runIf(!isTriedElsewhere || isLong)(
    'keeps user data as files and puts it back, names, owners, modes, labels, links and times as they were',
    async () => {
      const set = await keep('files', ['userdata-files']);
      const log = logOf(set);
      expect(log).toMatch(/system\/a pipe.*sockets, pipes or devices: not kept/);
      expect(/tells no SELinux labels: none are kept/.test(log)).toBe(!tellsLabels);
      if (personality.mode === 'system') return;
      // Where files go back over what is there, and onto a file system that the phone's own tool makes.
      const format = personality.tools === 'busybox' || personality.isOld === true;
      await restore(set, ['userdata-files'], { format });
      await phone.unmounted(async () => {
        const after = await mounted(userData(), (root) => census(root, ['media']));
        const told = (files: Map<string, string>) =>
          new Map(
            [...files].map(([path, facts]) => [
              path,
              tellsLabels ? facts : facts.replace(/,(?:null|"u:[^"]*")/, ''),
            ]),
          );
        expect(told(after)).toEqual(told(before));
      });
    },
  );

  it.runIf(isFirst || isLong)('takes encrypted names for what they are', async () => {
    const ready = () => app.bench.link(serial).files!.ready();
    expect(await ready()).toBe(true);
    const rename = (from: string, to: string) =>
      phone.unmounted(() =>
        mounted(userData(), (root) => renameSync(join(root, 'system', from), join(root, 'system', to))),
      );
    await rename('packages.xml', 'kX+2c,9QeVw');
    expect(await ready()).toBe(false);
    await rename('kX+2c,9QeVw', 'packages.xml');
    expect(await ready()).toBe(true);
  });
});
