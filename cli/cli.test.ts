// The `larder` command: what it prints and how it ends.
import { execFileSync } from 'node:child_process';
import { readdirSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { SetView } from '@keen-larder/contract/sets.ts';
import type { Inspection } from '@keen-larder/core/formats/inspect/inspect.ts';
import { Flash } from '../standin/flash/flash.ts';
import { compareWithPhone } from './compare.ts';
import { keepSet, openOn, startKnot3, testFolder, toRecovery, until } from '../testing/bench.ts';
import { larderCommand, larderFromTerminal } from '../testing/programs/larder-command.ts';
import { knot3Flash } from '../testing/flashes.ts';

const folder = testFolder();
const home = join(folder.path, 'larder');
const at = (name: string) => join(folder.path, name);

const larder = (...args: string[]) => larderCommand(args);

beforeAll(async () => {
  const bench = await startKnot3(at('phones'));
  const app = await openOn(home, bench);
  try {
    await toRecovery(app, bench.phone);
    await keepSet(app, 'boot and identity', ['boot', 'efs']);
    await keepSet(app, 'small', ['misc', 'logo']);
    await until('all names', () => app.nameIndex.view().unread === 0);
  } finally {
    await app.close();
    await bench.close();
  }
  const flash = await Flash.open(await knot3Flash());
  for (const name of ['boot', 'efs']) {
    const device = flash.partition(name)!;
    writeFileSync(at(`${name}.img`), await device.read(0, device.bytes));
  }
  await flash.close();
});
afterAll(folder.remove);

describe('from a terminal', () => {
  it('prints, and ends with its exit code', async () => {
    const good = await larderFromTerminal(['inspect', at('efs.img')]);
    expect(good).toMatchObject({ code: 0, err: '', out: expect.stringMatching(/ext4, 16 MiB/) as string });
    const wrong = await larderFromTerminal(['sets', '--home', at('nowhere')]);
    expect(wrong).toMatchObject({
      code: 2,
      out: '',
      err: expect.stringMatching(/^There is no larder in .*nowhere.*\n$/) as string,
    });
    const json = await larderFromTerminal(['sets', '--json', '--home', home]);
    expect((JSON.parse(json.out) as { label: string }[]).map(({ label }) => label)).toEqual([
      'small',
      'boot and identity',
    ]);
  });
});

describe('inspect', () => {
  it('looks into zips and tars, and names what it cannot read of them', async () => {
    writeFileSync(at('cut.img'), readFileSync(at('efs.img')).subarray(0, 1 << 20));
    const names = ['boot.img', 'efs.img', 'cut.img'];
    execFileSync('zip', ['-q', at('firmware.zip'), ...names], { cwd: folder.path });
    execFileSync('tar', ['-cf', at('firmware.tar'), ...names], { cwd: folder.path });
    for (const [file, kind] of [
      ['firmware.zip', 'zip archive'],
      ['firmware.tar', 'tar archive'],
    ] as const) {
      const { code, out } = await larder('inspect', at(file), '--json');
      const found = JSON.parse(out) as Inspection;
      expect(found.format).toBe(kind);
      expect(found.inner.map(({ name, inspection: { format } }) => [name, format])).toEqual([
        ['boot.img', 'boot image'],
        ['efs.img', 'ext4'],
        ['cut.img', 'ext4'],
      ]);
      expect(found.inner[2]!.inspection.findings.join()).toMatch(/only 1048576 are here/);
      expect(code).toBe(1);
    }
  });

  it('describes a whole flash by its partition table', async () => {
    const { code, out } = await larder('inspect', await knot3Flash());
    expect(code).toBe(0);
    expect(out).toMatch(/: GPT, 10\d\d\.?\d* MiB/);
    expect(out).toMatch(/ {2}14 boot: sectors \d+–\d+, 16 MiB\n/);
  });

  it('describes a boot image and an ext4 image', async () => {
    const boot = await larder('inspect', at('boot.img'));
    expect(boot).toMatchObject({ code: 0 });
    expect(boot.out).toMatch(
      /boot image, 16 MiB[^]*Android version: 9\.0\.0[^]*patch level: 2026-03[^]*kernel: \d+ bytes at 2048/,
    );
    const efs = await larder('inspect', at('efs.img'));
    expect(efs).toMatchObject({ code: 0 });
    expect(efs.out).toMatch(/ext4, 16 MiB[^]*volume: efs[^]*block size: \d+[^]*features: .*extent/);
  });

  it('gives the same as JSON', async () => {
    const { out } = await larder('inspect', at('efs.img'), '--json');
    const found = JSON.parse(out) as Inspection;
    expect(found).toMatchObject({ format: 'ext4', bytes: 16 << 20, findings: [] });
  });

  it('looks into a gzip of a sparse image of an ext4', async () => {
    execFileSync('img2simg', [at('efs.img'), at('efs.simg')]);
    execFileSync('gzip', ['-kf', at('efs.simg')]);
    const { code, out } = await larder('inspect', at('efs.simg.gz'));
    expect(code).toBe(0);
    expect(out.split('\n').filter((line) => /^\s*[^:]+: (gzip|sparse image|ext4),/.test(line))).toEqual([
      expect.stringMatching(/^\S+efs\.simg\.gz: gzip, /) as string,
      expect.stringMatching(/^ {2}what it holds: sparse image, /) as string,
      expect.stringMatching(/^ {4}the image: ext4, 16 MiB \(16777216 bytes\)/) as string,
    ]);
    writeFileSync(at('cut.gz'), readFileSync(at('efs.simg.gz')).subarray(0, 500));
    const cut = await larder('inspect', at('cut.gz'));
    expect(cut.code).toBe(1);
    expect(cut.err).toMatch(/gzip: data at byte \d+: unexpected end of file/);
  });

  it('looks into the partitions of a whole flash', async () => {
    const { out } = await larder('inspect', await knot3Flash(), '--json');
    const { inner } = JSON.parse(out) as Inspection;
    const formats = Object.fromEntries(inner.map(({ name, inspection }) => [name, inspection.format]));
    expect(formats).toEqual({
      efs: 'ext4',
      persist: 'ext4',
      boot: 'boot image',
      recovery: 'boot image',
      cache: 'ext4',
      system: 'ext4',
      userdata: 'ext4',
    });
  });

  it('calls anything else raw', async () => {
    writeFileSync(at('noise.bin'), Buffer.alloc(70_000, 'noise'));
    expect(await larder('inspect', at('noise.bin'))).toMatchObject({
      code: 0,
      out: expect.stringMatching(/: raw, 68\.4 KiB \(70000 bytes\)\n$/) as string,
    });
  });

  it('ends with 1 and says where when an image is damaged or has a finding', async () => {
    writeFileSync(at('cut.img'), readFileSync(at('boot.img')).subarray(0, 5000));
    const cut = await larder('inspect', at('cut.img'));
    expect(cut).toMatchObject({ code: 1, out: '' });
    expect(cut.err).toMatch(/boot-image: \w+ at byte \d+: /);
    execFileSync('cp', ['--sparse=always', await knot3Flash(), at('wiped.flash')]);
    const bytes = Buffer.alloc(512);
    const { openSync, writeSync, closeSync } = await import('node:fs');
    const file = openSync(at('wiped.flash'), 'r+');
    writeSync(file, bytes, 0, 512, 512);
    closeSync(file);
    const wiped = await larder('inspect', at('wiped.flash'));
    expect(wiped.code).toBe(1);
    expect(wiped.out).toMatch(/read from: backup table[^]*finding: The primary table is damaged/);
  });

  it('ends with 2 when there is no such file, or too little is said', async () => {
    expect(await larder('inspect', at('nothing'))).toMatchObject({
      code: 2,
      err: expect.stringMatching(/cannot be opened/) as string,
    });
    expect((await larder('inspect')).code).toBe(2);
    expect((await larder('invent')).code).toBe(2);
    expect((await larder('--help')).code).toBe(0);
  });
});

describe('sets', () => {
  it('are listed', async () => {
    const { code, out } = await larder('sets', '--home', home);
    expect(code).toBe(0);
    expect(out).toMatch(
      /[0-9a-f-]{36} {2}boot and identity\n {2}Ringing hut \(TW3K-10482\), 2 images, 32 MiB/,
    );
    const json = await larder('sets', '--json', '--home', home);
    expect((JSON.parse(json.out) as { label: string }[]).map(({ label }) => label)).toEqual([
      'small',
      'boot and identity',
    ]);
  });

  it('want a larder', async () => {
    expect(await larder('sets', '--home', at('nowhere'))).toMatchObject({
      code: 2,
      err: expect.stringMatching(/There is no larder in .*nowhere/) as string,
    });
  });

  it('are held against the rules for keeping, and nothing is done', async () => {
    const { code, out } = await larder('order', '--dry-run', '--home', home);
    expect(code).toBe(0);
    expect(out).toMatch(/boot and identity \(Ringing hut\): one of the newest.*has the last efs/);
    expect((await larder('order', '--home', home)).code).toBe(2);
  });

  it('and files within them are found by a word or the beginning of a checksum', async () => {
    const find = (...words: string[]) => larder('find', ...words, '--home', home);
    expect(await find('identity')).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^set {4}[0-9a-f-]{36} {2}boot and identity \(Ringing hut\)\n/) as string,
    });
    const [digest] = execFileSync('sha256sum', [at('efs.img')], { encoding: 'utf8' }).split(' ');
    expect((await find(digest!.slice(0, 10))).out).toBe(
      `image  ${digest}  efs in “boot and identity” (Ringing hut)\n`,
    );
    const { out } = await find('lost+found', '--json');
    expect(JSON.parse(out)).toMatchObject({
      files: { found: [{ path: '/lost+found', kind: 'folder', partition: 'efs' }], isCut: false },
    });
    expect(await find('nothing of the kind')).toMatchObject({ code: 1, out: '' });
  });

  it('are compared, by partition and by file', async () => {
    const compare = (...args: string[]) => larder('compare', ...args, '--home', home);
    expect(await compare('boot and identity', 'boot and identity')).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^boot +same\nefs +same\n$/) as string,
    });
    expect(await compare('boot and identity', 'small')).toMatchObject({
      code: 1,
      out: expect.stringMatching(
        /^boot +only in the first\nefs +only in the first\n(misc|logo) +only in the second/,
      ) as string,
    });
    const files = await compare('boot and identity', 'boot and identity', '--files', 'efs', '--json');
    expect(files.code).toBe(0);
    expect(JSON.parse(files.out)).toMatchObject({ differences: [], isCut: false });
    expect(await compare('boot and identity', 'nothing')).toMatchObject({
      code: 2,
      err: expect.stringMatching(/There is no set “nothing”/) as string,
    });
  });

  it('are compared with a phone as it is now, without the application', async () => {
    const bench = await startKnot3(at('phones-again'));
    try {
      await bench.phone.start('recovery');
      const { adb } = bench.phone.state();
      const compare = (...args: string[]) =>
        larder('compare', 'boot and identity', '--phone', adb, ...args, '--home', home);
      expect(await compare()).toMatchObject({
        code: 0,
        err: '',
        out: expect.stringMatching(/^boot +same\nefs +same\n$/) as string,
      });
      const boot = bench.phone.flash.partition('boot')!;
      await boot.write(0, Buffer.alloc(4096));
      const { code, out } = await compare('--json');
      expect(code).toBe(1);
      expect(JSON.parse(out)).toMatchObject({
        after: { id: `phone:${bench.phone.identity.serial}` },
        partitions: [
          { partition: 'boot', state: 'differs' },
          { partition: 'efs', state: 'same' },
        ],
      });
    } finally {
      await bench.close();
    }
  });

  it('are compared with one thing, and with a phone that answers', async () => {
    expect(await larder('compare', 'small', '--home', home)).toMatchObject({
      code: 2,
      err: 'Name a second set, or a phone with --phone.\n',
    });
    const nobody = await compareWithPhone('small', {
      ...{ home, phone: '127.0.0.1:9', adbPort: 9, patienceMs: 300 },
    });
    expect(nobody).toBe(2);
  });

  it('are exported with sums that sha256sum and md5sum accept', async () => {
    const { code, out } = await larder('export', 'boot and identity', at('out'), '--home', home);
    expect({ code, out }).toEqual({ code: 0, out: `2 files in ${at('out')}\n` });
    expect(readdirSync(at('out')).sort()).toEqual([
      'CONTENTS.json',
      'CONTENTS.txt',
      'MD5SUMS',
      'SHA256SUMS',
      'boot.img',
      'efs.img',
    ]);
    for (const [tool, sums] of [
      ['sha256sum', 'SHA256SUMS'],
      ['md5sum', 'MD5SUMS'],
    ] as const) {
      expect(execFileSync(tool, ['-c', sums], { cwd: at('out'), encoding: 'utf8' })).toBe(
        'boot.img: OK\nefs.img: OK\n',
      );
    }
    expect(readFileSync(at('out/boot.img')).equals(readFileSync(at('boot.img')))).toBe(true);
  });

  it('are exported as sparse images in several files, packed', async () => {
    const options = ['--form', 'sparse', '--pack', 'zstd', '--split', '4', '--images', 'boot'];
    const { code, err } = await larder(
      'export',
      'boot and identity',
      at('sparse'),
      ...options,
      '--home',
      home,
    );
    expect({ code, err }).toEqual({ code: 0, err: '' });
    const files = readdirSync(at('sparse')).filter((name) => name.endsWith('.zst'));
    expect(files.length).toBeGreaterThan(1);
    expect(files[0]).toMatch(/^boot-1of\d\.simg\.zst$/);
    for (const name of files) execFileSync('zstd', ['-dq', at(`sparse/${name}`)]);
    const parts = files.map((name) => at(`sparse/${name.slice(0, -4)}`));
    execFileSync('simg2img', [...parts, at('joined.img')]);
    expect(readFileSync(at('joined.img')).equals(readFileSync(at('boot.img')))).toBe(true);
    expect((await larder('export', 'small', at('x'), '--split', 'many', '--home', home)).code).toBe(2);
    expect((await larder('export', 'small', at('x'), '--form', 'vinyl', '--home', home)).code).toBe(2);
  });

  it('are not exported over what is there, nor when they are not known', async () => {
    expect(await larder('export', 'small', at('out'), '--home', home)).toMatchObject({
      code: 2,
      err: expect.stringMatching(/Name a folder that is not there yet/) as string,
    });
    expect(await larder('export', 'great', at('out2'), '--home', home)).toMatchObject({
      code: 2,
      err: expect.stringMatching(/There is no set “great”/) as string,
    });
  });

  it('are found again by their shelf when the catalogue is lost or wrong', async () => {
    const before = JSON.parse((await larder('sets', '--json', '--home', home)).out) as { id: string }[];
    writeFileSync(join(home, 'catalogue.sqlite'), 'no database at all');
    const { code, out } = await larder('rebuild', '--home', home);
    expect(out).toMatch(/^The catalogue as it was: catalogue-before-.*\.sqlite\n/);
    expect(code).toBe(0);
    for (const { id } of before) expect(out).toContain(id);
    const after = JSON.parse((await larder('sets', '--json', '--home', home)).out) as { id: string }[];
    expect(after).toEqual(before);
    expect((await larder('rebuild', '--home', at('nowhere'))).code).toBe(2);
  });

  it('verify, until a pack is damaged', async () => {
    expect(await larder('verify', '--home', home)).toMatchObject({
      code: 0,
      out: 'verified small: 2 images\nverified boot and identity: 2 images\n',
    });
    const packs = join(home, 'shelf/packs');
    for (const name of readdirSync(packs)) truncateSync(join(packs, name), 3000);
    const { code, out } = await larder('verify', 'boot and identity', '--home', home);
    expect(code).toBe(1);
    expect(out).toMatch(
      /DAMAGED {2}boot and identity: boot, bytes \d+ to \d+: .*\.pack at \d+ cannot be read/,
    );
    expect(await larder('export', 'boot and identity', at('out3'), '--home', home)).toMatchObject({
      code: 1,
      err: expect.stringMatching(/The export is not complete/) as string,
    });
    expect((await larder('verify', 'great', '--home', home)).code).toBe(2);
  });
});

describe('import', () => {
  const into = (path: string, ...args: string[]) =>
    larder('import', path, '--home', at('another larder'), ...args);

  it('keeps what export wrote, of the phone that it was of', async () => {
    const { code, out } = await into(at('out'));
    expect(out).toMatch(/^boot\.img: boot image, as boot$/m);
    expect(out).toMatch(/boot and identity\n {2}boot and efs\. 2 images/);
    expect(code).toBe(0);
    const sets = await larder('sets', '--json', '--home', at('another larder'));
    expect(JSON.parse(sets.out)).toMatchObject([
      { label: 'boot and identity', serial: 'TW3K-10482', imported: true },
    ]);
    expect((await larder('verify', '--home', at('another larder'))).code).toBe(0);
  });

  it('says what is in the way', async () => {
    const nobody = await into(at('efs.img'));
    expect(nobody).toMatchObject({
      code: 1,
      err: expect.stringContaining('Which phone are they of?') as string,
    });
    const noModel = await into(at('efs.img'), '--firmware');
    expect(noModel).toMatchObject({
      code: 2,
      err: expect.stringContaining('say which with --maker') as string,
    });
    const strange = await into(at('efs.img'), '--phone', 'X1', '--as', 'efs.img');
    expect(strange).toMatchObject({ code: 2, err: expect.stringContaining('FILE=PARTITION') as string });
    expect(await into(at('no such file'))).toMatchObject({ code: 2 });
    const unknown = await into(at('efs.img'), '--phone', 'X1');
    expect(unknown.err).toContain('say its maker, model and name as well');
    const odd = await into(
      at('boot.img'),
      '--phone',
      'X1',
      '--maker',
      'M',
      '--model',
      'N',
      '--as',
      'boot.img=persist',
    );
    expect(odd).toMatchObject({ code: 0, out: expect.stringContaining('as persist') as string });
    const model = ['--firmware', '--maker', 'M', '--model', 'N'];
    expect(await into(at('efs.img'), ...model)).toMatchObject({
      code: 1,
      err: expect.stringContaining('belongs to one phone') as string,
    });
    expect(await into(at('boot.img'), ...model)).toMatchObject({ code: 0 });
    const sets = JSON.parse(
      (await larder('sets', '--json', '--home', at('another larder'))).out,
    ) as SetView[];
    expect(sets.filter(({ firmware }) => firmware)).toMatchObject([{ maker: 'M', model: 'N' }]);
  });
});
