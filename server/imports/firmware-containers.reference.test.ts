// Containers of firmware as their own makers pack them: update payloads from the published schema by a library of its own, blocks
// by brotli, archives by GNU tar, zip and Python's zipfile.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { testFolder } from '../../testing/folder.ts';
import { makeBlockUpdate } from '../../testing/firmware/block-update.ts';
import { makePayload, type NewPayload } from '../../testing/firmware/update-payload.ts';
import { filler } from '../../standin/firmware/filler.ts';
import { planImport } from '@keen-larder/core/larder/import-plan.ts';
import { openBatch } from './batch.ts';
import { imageOf } from './opening/opening.ts';

const folder = testFolder();
afterAll(folder.remove);
const at = (name: string) => join(folder.path, name);
const sha256 = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');

const boot = Buffer.concat([
  filler('program', 1, 256 << 10),
  Buffer.alloc(128 << 10),
  filler('records', 2, 128 << 10),
]);
const system = Buffer.concat([
  filler('records', 3, 768 << 10),
  Buffer.alloc(384 << 10),
  filler('program', 4, (256 << 10) + 8192),
]);
let key: string;
let certificate: string;

beforeAll(() => {
  execFileSync(
    'openssl',
    [
      'req',
      '-x509',
      '-newkey',
      'rsa:2048',
      '-nodes',
      '-keyout',
      at('key'),
      '-out',
      at('cert'),
      '-subj',
      '/CN=Quern',
    ],
    { stdio: 'ignore' },
  );
  key = readFileSync(at('key'), 'utf8');
  certificate = readFileSync(at('cert'), 'utf8');
});

interface Told {
  readonly layers: readonly string[];
  readonly fault: string | undefined;
  readonly said: readonly string[];
  readonly sha256: string | undefined;
}

/** What comes of a file or folder: by the end of each path, and the digest of what would be kept. */
async function opened(path: string): Promise<Record<string, Told>> {
  const batch = await openBatch('test', path, at(`scratch-${Math.random()}`));
  try {
    const found: Record<string, Told> = {};
    for (const file of batch.files) {
      const { layers, fault } = file;
      const hash = createHash('sha256');
      let digest: string | undefined;
      if (fault === undefined) {
        for await (const part of file.image()) hash.update(part);
        digest = hash.digest('hex');
      }
      found[file.path.split('/').at(-1)!] = { layers, fault, said: batch.said, sha256: digest };
    }
    return found;
  } finally {
    await batch.close();
  }
}

const write = (name: string, bytes: Uint8Array | string): string => {
  writeFileSync(at(name), bytes);
  return at(name);
};

describe('an update payload', () => {
  const order = (more: Partial<NewPayload> = {}): NewPayload => ({
    partitions: { boot, system },
    packedBy: ['REPLACE_ZSTD'],
    operationBytes: 256 << 10,
    ...more,
  });

  it.each([
    ['by xz', { packedBy: ['REPLACE_XZ'] }],
    ['by bzip2', { packedBy: ['REPLACE_BZ'] }],
    ['by zstd', { packedBy: ['REPLACE_ZSTD'] }],
    ['as it is', { packedBy: ['REPLACE'] }],
    [
      'by all of them, in no order',
      {
        packedBy: ['REPLACE', 'REPLACE_BZ', 'REPLACE_XZ', 'REPLACE_ZSTD'],
        scattered: true,
        operationBytes: 64 << 10,
      },
    ],
  ] as const)('packed %s gives each partition as it was', async (_name, more) => {
    const found = await opened(write('payload.bin', makePayload(order(more))));
    expect(found['boot']).toMatchObject({ layers: ['update payload', 'raw'], sha256: sha256(boot) });
    expect(found['system']).toMatchObject({ sha256: sha256(system) });
    expect(found['boot']!.said.join()).toMatch(/signature of the update is not checked/);
  });

  const zipped = (payload: Uint8Array, withCertificate: string) => {
    mkdirSync(at('zip/META-INF/com/android'), { recursive: true });
    write('zip/payload.bin', payload);
    write('zip/META-INF/com/android/otacert', withCertificate);
    execFileSync('rm', ['-f', at('ota.zip')]);
    execFileSync('zip', ['-q', '-0', '-r', at('ota.zip'), '.'], { cwd: at('zip') });
    return at('ota.zip');
  };

  it('in a zip is held against the certificate in it', async () => {
    const found = await opened(zipped(makePayload(order({ key })), certificate));
    expect(found['system']).toMatchObject({ fault: undefined, sha256: sha256(system) });
    expect(found['system']!.said.join()).toMatch(/signature of the update matches the certificate/);
  });

  it('of which a byte was changed is refused by its signature', async () => {
    const payload = makePayload(order({ key }));
    payload[payload.length - 60_000]! ^= 1;
    const found = await opened(zipped(payload, certificate));
    expect(found['system']!.fault).toMatch(/signature of the update does not match/);
  });

  it('of which a byte was changed is refused by its digests where nothing is signed', async () => {
    const payload = makePayload(order());
    payload[payload.length - 60_000]! ^= 1;
    await expect(opened(write('payload.bin', payload))).rejects.toMatchObject({
      name: 'FormatError',
      message: expect.stringMatching(/do not match their SHA-256/) as string,
    });
  });

  it('that is incremental is refused with words', async () => {
    const change = (partition: Record<string, unknown>) => {
      (partition['operations'] as Record<string, unknown>[])[0]!['type'] = 'SOURCE_BSDIFF';
    };
    const found = await opened(write('payload.bin', makePayload(order({ change }))));
    expect(found['boot']!.fault).toMatch(/incremental update. Bring the full one/);
  });

  it('that leaves something out, writes something twice or is cut short is refused', async () => {
    const without = (partition: Record<string, unknown>) =>
      (partition['operations'] as unknown[]).splice(1, 1);
    const twice = (partition: Record<string, unknown>) => {
      const operations = partition['operations'] as unknown[];
      operations.push(operations[0]);
    };
    for (const [change, words] of [
      [without, /nothing writes bytes/],
      [twice, /is written twice/],
    ] as const) {
      const found = await opened(write('payload.bin', makePayload(order({ change }))));
      expect(found['boot']!.fault).toMatch(words);
    }
    const cut = makePayload(order()).subarray(0, -1000);
    expect((await opened(write('payload.bin', cut)))['payload.bin']!.fault).toMatch(
      /ends before its data do/,
    );
  });
});

describe('an update by blocks', () => {
  const { list, blocks, packed } = makeBlockUpdate(system);

  it('in a zip gives the image as it was, packed or not', async () => {
    for (const name of ['system.new.dat', 'system.new.dat.br']) {
      execFileSync('rm', ['-rf', at('blocks'), at('blocks.zip')]);
      mkdirSync(at('blocks'));
      write('blocks/system.transfer.list', list);
      write(`blocks/${name}`, name.endsWith('br') ? packed : blocks);
      write('blocks/system.patch.dat', '');
      execFileSync('zip', ['-q', '-r', at('blocks.zip'), '.'], { cwd: at('blocks') });
      const found = await opened(at('blocks.zip'));
      expect(Object.keys(found)).toEqual([name]);
      expect(found[name]).toMatchObject({ fault: undefined, sha256: sha256(system) });
    }
  });

  it('in a folder too, and of halves it is said which is missing', async () => {
    mkdirSync(at('loose'), { recursive: true });
    write('loose/system.transfer.list', list);
    expect((await opened(at('loose')))['system.transfer.list']!.fault).toMatch(/bring system.new.dat along/);
    write('loose/system.new.dat', blocks);
    expect((await opened(at('loose')))['system.new.dat']).toMatchObject({ sha256: sha256(system) });
    write('loose/system.new.dat', blocks.subarray(4096));
    expect((await opened(at('loose')))['system.new.dat']!.fault).toMatch(/Download it again/);
    execFileSync('rm', [at('loose/system.transfer.list')]);
    expect((await opened(at('loose')))['system.new.dat']!.fault).toMatch(/bring system.transfer.list along/);
  });

  it('that is incremental is refused with words', async () => {
    mkdirSync(at('incremental'), { recursive: true });
    write('incremental/system.transfer.list', `${list}bsdiff 0 1000 aa bb 2,0,10 10 2,0,10\n`);
    write('incremental/system.new.dat', blocks);
    expect((await opened(at('incremental')))['system.new.dat']!.fault).toMatch(/incremental update/);
  });
});

describe('archives', () => {
  const tree = (...files: readonly (readonly [string, Uint8Array])[]) => {
    execFileSync('rm', ['-rf', at('tree')]);
    mkdirSync(at('tree'));
    for (const [name, bytes] of files) write(`tree/${name}`, bytes);
  };

  it('of tar with their MD5 behind them are held against it', async () => {
    tree(['boot.img', boot], ['system.img', system]);
    execFileSync('tar', ['-cf', at('all.tar'), '-C', at('tree'), 'boot.img', 'system.img']);
    const archive = readFileSync(at('all.tar'));
    const sum = createHash('md5').update(archive).digest('hex');
    const whole = Buffer.concat([archive, Buffer.from(`${sum}  all.tar\n`)]);
    const found = await opened(write('all.tar.md5', whole));
    expect(found['boot.img']).toMatchObject({ sha256: sha256(boot) });
    expect(found['system.img']).toMatchObject({ sha256: sha256(system) });
    whole[100_000]! ^= 1;
    expect((await opened(write('all.tar.md5', whole)))['all.tar.md5']!.fault).toMatch(
      /does not match the MD5/,
    );
    expect((await opened(write('all.tar.md5', archive)))['all.tar.md5']!.fault).toMatch(/cut short/);
  });

  it('of tar: holes, hard links and links are right, or said', async () => {
    tree(['boot.img', boot]);
    execFileSync(
      'bash',
      [
        '-c',
        'ln boot.img recovery.img; ln -s boot.img vbmeta.img; truncate -s 9000000 dtbo.img; printf end >> dtbo.img',
      ],
      { cwd: at('tree') },
    );
    execFileSync('tar', ['-cf', at('links.tar'), '--sparse', '-C', at('tree'), '--sort=name', '.']);
    const found = await opened(at('links.tar'));
    expect(found['recovery.img']).toMatchObject({ fault: undefined, sha256: sha256(boot) });
    expect(found['dtbo.img']).toMatchObject({ sha256: sha256(readFileSync(at('tree/dtbo.img'))) });
    expect(found['vbmeta.img']!.fault).toMatch(/link to boot.img/);
  });

  it.each(['lz4', 'bzip2'] as const)('images packed by %s are unpacked, in a tar too', async (tool) => {
    const packed = execFileSync(tool, ['-c'], { input: boot, maxBuffer: 1 << 27 });
    tree([`boot.img.${tool === 'lz4' ? 'lz4' : 'bz2'}`, packed]);
    execFileSync('tar', ['-cf', at('packed.tar'), '-C', at('tree'), '.']);
    const [file] = Object.values(await opened(at('packed.tar')));
    expect(file).toMatchObject({ layers: [tool, 'raw'], sha256: sha256(boot) });
  });

  it('of zip: other ways to pack are unpacked or named, and a name twice is refused', async () => {
    tree(['boot.img', boot]);
    execFileSync(
      'python3',
      [
        '-c',
        `import zipfile, warnings
warnings.simplefilter('ignore')
b = open('tree/boot.img', 'rb').read()
with zipfile.ZipFile('methods.zip', 'w') as z:
    z.writestr('boot.img', b, zipfile.ZIP_BZIP2)
    z.writestr('recovery.img', b, zipfile.ZIP_LZMA)
    z.writestr('dtbo.img', b, zipfile.ZIP_DEFLATED)
with zipfile.ZipFile('twice.zip', 'w') as z:
    z.writestr('boot.img', b)
    z.writestr('boot.img', b[:4096])`,
      ],
      { cwd: folder.path },
    );
    const found = await opened(at('methods.zip'));
    expect(found['boot.img']).toMatchObject({ sha256: sha256(boot) });
    expect(found['dtbo.img']).toMatchObject({ sha256: sha256(boot) });
    expect(found['recovery.img']!.fault).toMatch(/packed by LZMA/);
    expect((await opened(at('twice.zip')))['twice.zip']!.fault).toMatch(/stands there twice/);
  });
});

describe('a sparse image in parts, as simg2simg makes them', () => {
  const parts = (): string[] => {
    write('whole.raw', system);
    execFileSync('img2simg', [at('whole.raw'), at('whole.simg')]);
    execFileSync('simg2simg', [at('whole.simg'), at('part'), String(300_000)]);
    return readdirSync(folder.path)
      .filter((name) => /^part\.\d+$/.test(name))
      .sort((a, b) => Number(a.slice(5)) - Number(b.slice(5)));
  };
  const planned = async (names: (part: number) => string, without?: number) => {
    execFileSync('rm', ['-rf', at('row')]);
    mkdirSync(at('row'));
    const found = parts();
    expect(found.length).toBeGreaterThan(2);
    for (const [i, part] of found.entries())
      if (i !== without) write(`row/${names(i)}`, readFileSync(at(part)));
    const batch = await openBatch('row', at('row'), at(`scratch-${Math.random()}`));
    try {
      const plans = planImport(batch.files, [], undefined);
      const hash = createHash('sha256');
      if (plans.length === 1 && !plans[0]!.fault) {
        const files = plans[0]!.paths.map((path) => batch.files.find((file) => file.path === path)!);
        for await (const bytes of await imageOf(files)) hash.update(bytes);
      }
      return { plans, sha256: hash.digest('hex') };
    } finally {
      await batch.close();
    }
  };

  it.each([
    ['system.img_sparsechunk.N', (part: number) => `system.img_sparsechunk.${part}`],
    ['system.img.N', (part: number) => `system.img.${part}`],
    ['system_N.img', (part: number) => `system_${part + 1}.img`],
  ])('called %s is put together', async (_name, names) => {
    const { plans, sha256: found } = await planned(names);
    expect(plans).toMatchObject([{ partition: 'system' }]);
    expect(found).toBe(sha256(system));
  });

  it('of which one is missing is refused', async () => {
    const { plans } = await planned((part) => `system.img_sparsechunk.${part}`, 1);
    expect(plans).toMatchObject([{ fault: 'Of its parts 1 is missing: bring it along.' }]);
  });
});

describe('a 7z archive', () => {
  it('is looked into like a zip, and what is in it unpacked further', async () => {
    mkdirSync(at('seven'), { recursive: true });
    write('seven/boot.img', boot);
    write('seven/system.img', system);
    execFileSync('xz', ['-f', '-k', at('seven/system.img')]);
    execFileSync('bsdtar', [
      '--format',
      '7zip',
      '-cf',
      at('firmware.7z'),
      '-C',
      at('seven'),
      'boot.img',
      'system.img.xz',
    ]);
    const found = await opened(at('firmware.7z'));
    expect(found).toMatchObject({
      'boot.img': { fault: undefined, sha256: sha256(boot) },
      'system.img.xz': { layers: ['xz', 'raw'], sha256: sha256(system) },
    });
  });

  it('is told from a rar archive, which is not read', async () => {
    const found = await opened(write('firmware.rar', Buffer.from('Rar!\x1a\x07\x01\0 and more')));
    expect(found['firmware.rar']?.fault).toBe('It is a rar archive: unpack it, then import its folder.');
  });

  it('that is damaged is one file that cannot be read', async () => {
    const spoilt = readFileSync(at('firmware.7z'));
    spoilt[spoilt.length - 20]! ^= 0xff;
    const found = await opened(write('spoilt.7z', spoilt));
    expect(found['spoilt.7z']?.fault).toMatch(/It cannot be read: 7z/);
  });
});
