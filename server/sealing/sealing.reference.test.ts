// Seals: scrypt, HKDF and AES-GCM as they are called here, against the vectors of RFC 7914 (12), RFC 5869 (A.3) and of the
// specification of GCM (McGrew and Viega, test case 16, which NIST SP 800-38D refers to).
import { randomBytes } from 'node:crypto';
import { describe, expect, it } from 'vitest';
import { SealFailure } from '../failures.ts';
import { gcmOpen, gcmSeal } from './aes-gcm.ts';
import { printedKey, readKey } from './recovery-key.ts';
import { changePassphrase, derivedKey, makeSeal, openSeal, parseSeal, passphraseKey } from './seal-key.ts';
import { openBytes, sealBytes, SealedReader, sealedSize } from './sealed-object.ts';

const hex = (text: string) => Buffer.from(text.replace(/\s/g, ''), 'hex');

describe('as published', () => {
  it('scrypt', async () => {
    const key = await passphraseKey('password', Buffer.from('NaCl'), { N: 1024, r: 8, p: 16 });
    expect(key.toString('hex')).toBe('fdbabe1c9d3472007856e7190d01e9fe7c6ad7cbc8237830e77376634b373162');
  });

  it('HKDF', () => {
    expect(derivedKey(Buffer.alloc(22, 0x0b), Buffer.alloc(0), '').toString('hex')).toBe(
      '8da4e775a563c18f715f802a063c5a31b8a11f5c5ee1879ec3454e5f3c738d2d',
    );
  });

  it('AES-GCM', () => {
    const key = hex('feffe9928665731c6d6a8f9467308308'.repeat(2));
    const nonce = hex('cafebabefacedbaddecaf888');
    const bound = hex('feedfacedeadbeeffeedfacedeadbeefabaddad2');
    const plain = hex(`d9313225f88406e5a55909c5aff5269a86a7a9531534f7da2e4c303d8a318a72
      1c3c0c95956809532fcf0e2449a6b525b16aedf5aa0de657ba637b39`);
    const sealed = hex(`522dc1f099567d07f47f37a32a84427d643a8cdcbfe5c0c97598a2bd2555d1aa
      8cb08e48590dbb3da7b08b1056828838c5f61e6393ba7a0abcc9f662 76fc6ece0f4e1768cddf8853bb2d551b`);
    expect(gcmSeal(key, nonce, bound, plain)).toEqual(sealed);
    expect(gcmOpen(key, nonce, bound, sealed)).toEqual(plain);
    sealed[3]! ^= 1;
    expect(gcmOpen(key, nonce, bound, sealed)).toBeUndefined();
  });
});

describe('a seal', () => {
  const words = 'quinces in the dark cellar';

  it('opens by its passphrase and by its recovery key, and by no other', async () => {
    const made = await makeSeal(words);
    const seal = parseSeal(JSON.stringify(made.seal));
    expect((await openSeal(seal, words)).master).toEqual(made.master);
    expect((await openSeal(seal, printedKey(made.recoveryKey).toLowerCase())).master).toEqual(made.master);
    const refused = await openSeal(seal, 'quinces in the dark cellar ').catch((error: unknown) => error);
    expect(refused).toBeInstanceOf(SealFailure);
    expect(refused).toMatchObject({ what: 'secret' });
    const other = await makeSeal(words);
    await expect(openSeal(seal, printedKey(other.recoveryKey))).rejects.toMatchObject({ what: 'secret' });
  });

  it('takes another passphrase, and what is sealed stays as it is', async () => {
    const made = await makeSeal(words);
    const next = await changePassphrase(made, 'plums on the upper shelf');
    await expect(openSeal(next, words)).rejects.toMatchObject({ what: 'secret' });
    expect((await openSeal(next, 'plums on the upper shelf')).master).toEqual(made.master);
    expect((await openSeal(next, printedKey(made.recoveryKey))).master).toEqual(made.master);
  });

  it('is refused where its file makes no sense, or asks for all memory', async () => {
    const { seal } = await makeSeal(words, { N: 1024, r: 8, p: 1 });
    const [lock] = seal.locks;
    for (const wrong of [
      '{',
      '{}',
      JSON.stringify({ ...seal, version: 2 }),
      JSON.stringify({ ...seal, locks: [] }),
      JSON.stringify({ ...seal, locks: [{ ...lock, salt: 'AA==' }] }),
      JSON.stringify({ ...seal, locks: [{ ...lock, cost: { N: 2 ** 30, r: 8, p: 1 } }] }),
      JSON.stringify({ ...seal, locks: [{ ...lock, cost: { N: 1000, r: 8, p: 1 } }] }),
    ])
      expect(() => parseSeal(wrong)).toThrow(SealFailure);
  });
});

describe('a recovery key', () => {
  it('is read as it was printed, and mistakes in copying are noticed', () => {
    for (let i = 0; i < 200; i++) {
      const key = randomBytes(16);
      const printed = printedKey(key);
      expect(printed).toMatch(/^(?:[A-Z2-7]{4}-){6}[A-Z2-7]{4}$/);
      expect(readKey(printed)).toEqual(key);
      expect(readKey(` ${printed.replaceAll('-', '  ').toLowerCase()}`)).toEqual(key);
    }
    const printed = printedKey(Buffer.alloc(16, 7));
    let noticed = 0;
    const places = [...printed].flatMap((letter, i) => (letter === '-' ? [] : [i]));
    for (const i of places)
      for (const letter of 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567') {
        if (letter === printed[i]) continue;
        try {
          readKey(printed.slice(0, i) + letter + printed.slice(i + 1));
        } catch {
          noticed++;
        }
      }
    // The check has ten bits.
    expect(noticed).toBeGreaterThan(places.length * 31 * 0.99);
    expect(() => readKey('short')).toThrow(/28 letters and digits; this one has 5/);
    expect(() => readKey('9')).toThrow(/no “9”/);
  });
});

/** The usual one takes most of a second. */
const quickly = { N: 1024, r: 8, p: 1 };

describe('what is sealed', () => {
  it('opens whole and in parts, whatever its size', async () => {
    const seal = await makeSeal('only for this test', quickly);
    for (const bytes of [0, 1, 65_535, 65_536, 65_537, 200_000]) {
      const plain = randomBytes(bytes);
      const sealed = sealBytes(seal, 'packs/a', plain);
      expect(sealed.length).toBe(sealedSize(bytes));
      expect(await openBytes(seal, 'packs/a', sealed)).toEqual(plain);
      let asked = 0;
      const reader = await SealedReader.open(seal, 'packs/a', {
        bytes: sealed.length,
        read: (offset, length) => {
          asked += length;
          return Promise.resolve(sealed.subarray(offset, offset + length));
        },
      });
      expect(reader.bytes).toBe(bytes);
      asked = 0;
      for (const [offset, length] of [
        [0, 10],
        [65_530, 20],
        [bytes - 5, 50],
      ] as const)
        if (offset >= 0 && offset <= bytes)
          expect(await reader.read(offset, length)).toEqual(plain.subarray(offset, offset + length));
      expect(asked).toBeLessThan(5 * (65_536 + 16));
    }
  });

  it('does not open under another name, with another key, changed, cut, or with segments exchanged', async () => {
    const [seal, other] = [
      await makeSeal('only for this test', quickly),
      await makeSeal('only for this test', quickly),
    ];
    const plain = randomBytes(200_000);
    const sealed = sealBytes(seal, 'packs/a', plain);
    const whatOf = async (bytes: Buffer, name = 'packs/a', by: Parameters<typeof openBytes>[0] = seal) =>
      openBytes(by, name, bytes).then(
        () => 'opened',
        (error: unknown) => (error as SealFailure).what,
      );
    expect(await whatOf(sealed)).toBe('opened');
    expect(await whatOf(sealed, 'packs/b')).toBe('changed');
    expect(await whatOf(sealed, 'packs/a', other)).toBe('changed');
    expect(await whatOf(sealed.subarray(0, 20))).toBe('cut');
    expect(await whatOf(Buffer.from('no seal at all, and long enough to have a head of one'))).toBe('format');
    const stride = 65_536 + 16;
    // To the end of a segment: only the mark of the last one tells.
    for (const end of [48, 49, 48 + stride, 48 + 2 * stride, sealed.length - 1])
      expect([end, await whatOf(sealed.subarray(0, end))]).toEqual([end, end < 48 + 16 ? 'cut' : 'changed']);
    const exchanged = Buffer.from(sealed);
    sealed.copy(exchanged, 48, 48 + stride, 48 + 2 * stride);
    sealed.copy(exchanged, 48 + stride, 48, 48 + stride);
    expect(await whatOf(exchanged)).toBe('changed');
    for (let at = 8; at < sealed.length; at += at < 80 ? 1 : 9973) {
      const flipped = Buffer.from(sealed);
      flipped[at]! ^= 1;
      expect([at, await whatOf(flipped)]).not.toEqual([at, 'opened']);
    }
  });

  it('shows nothing of itself, not even that two are the same', async () => {
    const seal = await makeSeal('only for this test', quickly);
    const plain = Buffer.from('Ringing hut '.repeat(1000));
    const [first, second] = [sealBytes(seal, 'a', plain), sealBytes(seal, 'a', plain)];
    expect(first.includes('Ringing')).toBe(false);
    expect(first.subarray(16).equals(second.subarray(16))).toBe(false);
  });
});
