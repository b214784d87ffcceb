// Held to AOSP external/avb (avb_vbmeta_image.h, avb_descriptor.h, avb_footer.h, avb_crypto.h): images are
// laid out, digested and signed here by node:crypto and plain offsets, apart from the reader's own code.
import { createHash, generateKeyPairSync, sign, verify } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import { FormatError } from '../../bytes/format-error.ts';
import { memorySource } from '../../bytes/source.ts';
import {
  boot,
  bootDigest,
  descriptors,
  hashOf,
  keys,
  rootDigest,
  u32,
  u64,
  vbmeta,
  type Keys,
} from '../../testing/vbmeta.ts';
import {
  encodePublicKey,
  matchesHash,
  readAvbFooter,
  readVbmeta,
  verifyVbmeta,
  withFooter,
  writeVbmeta,
  type HashDescriptor,
} from './verified-boot.ts';

let small: Keys;
let large: Keys;
beforeAll(() => {
  small = keys(2048);
  large = keys(4096);
});
const read = (bytes: Buffer) => readVbmeta(memorySource(bytes));

describe('verified-boot metadata', () => {
  it('is read with all kinds of descriptors', async () => {
    const found = await read(
      vbmeta({ algorithm: 1, hash: 'sha256', signer: small, listed: descriptors(large), flags: 1 }),
    );
    expect(found).toMatchObject({
      algorithm: { name: 'SHA256_RSA2048' },
      rollbackIndex: 7n,
      rollbackIndexLocation: 3,
      flags: 1,
      release: 'avbtool 1.3.0',
    });
    expect(Buffer.from(found.publicKey).equals(small.encoded)).toBe(true);
    expect(found.descriptors).toMatchObject([
      { kind: 'property', key: 'com.android.build.patch' },
      { kind: 'hash', partition: 'boot', algorithm: 'sha256', imageBytes: boot.length },
      { kind: 'hashtree', partition: 'system', imageBytes: 1 << 20, treeBytes: 16384, flags: 1 },
      { kind: 'kernel command line', flags: 1, commandLine: 'root=dm-0' },
      { kind: 'chain', partition: 'vbmeta_system', rollbackIndexLocation: 2 },
      { kind: 'unknown', tag: 77n, bytes: 16 },
    ]);
    const [property, hash, tree, , chain] = found.descriptors as [
      { value: Uint8Array },
      HashDescriptor,
      { rootDigest: Uint8Array; salt: Uint8Array },
      unknown,
      { publicKey: Uint8Array },
    ];
    expect(Buffer.from(property.value).toString()).toBe('2026-03-05');
    expect(Buffer.from(hash.digest).equals(bootDigest)).toBe(true);
    expect(Buffer.from(tree.rootDigest).equals(rootDigest)).toBe(true);
    expect(Buffer.from(chain.publicKey).equals(large.encoded)).toBe(true);
  });

  it('verifies what OpenSSL signed, with every hash and key size', async () => {
    for (const [algorithm, hash, signer] of [
      [1, 'sha256', small],
      [2, 'sha256', large],
      [4, 'sha512', small],
      [5, 'sha512', large],
    ] as const) {
      const image = vbmeta({ algorithm, hash, signer, listed: descriptors(small) });
      expect(verifyVbmeta(await read(image))).toEqual({ result: 'valid' });
    }
    expect(
      verifyVbmeta(await read(vbmeta({ algorithm: 0, hash: 'sha256', listed: descriptors(small) }))),
    ).toEqual({
      result: 'not signed',
    });
  });

  it('refuses anything that was changed after signing, and any other key', async () => {
    const image = vbmeta({ algorithm: 1, hash: 'sha256', signer: small, listed: descriptors(large) });
    const verdict = async (change: (bytes: Buffer) => void) => {
      const changed = Buffer.from(image);
      change(changed);
      return verifyVbmeta(await read(changed));
    };
    expect(await verdict((bytes) => (bytes[119]! ^= 1))).toMatchObject({
      reason: expect.stringMatching(/do not match their digest/) as string,
    });
    expect(await verdict((bytes) => (bytes[256 + 5]! ^= 1))).toMatchObject({
      reason: expect.stringMatching(/do not match their digest/) as string,
    });
    expect(await verdict((bytes) => (bytes[256 + 40]! ^= 1))).toMatchObject({
      reason: expect.stringMatching(/not of this key/) as string,
    });
    expect(await verdict((bytes) => bytes.fill(0xff, 256 + 32, 256 + 32 + 256))).toMatchObject({
      reason: expect.stringMatching(/not below the modulus/) as string,
    });
    const other = vbmeta({
      algorithm: 1,
      hash: 'sha256',
      signer: { ...small, encoded: keys(2048).encoded },
      listed: descriptors(large),
    });
    expect(verifyVbmeta(await read(other))).toMatchObject({
      result: 'invalid',
      reason: expect.stringMatching(/not of this key|modulus/) as string,
    });
    const mismatched = vbmeta({ algorithm: 2, hash: 'sha256', signer: small, listed: descriptors(large) });
    expect(verifyVbmeta(await read(mismatched))).toMatchObject({
      reason: expect.stringMatching(/does not belong to SHA256_RSA4096/) as string,
    });
  });

  it('holds an image to its hash descriptor', async () => {
    const { descriptors: found } = await read(
      vbmeta({ algorithm: 0, hash: 'sha256', listed: descriptors(small) }),
    );
    const hash = found[1] as HashDescriptor;
    const partition = Buffer.concat([boot, Buffer.alloc(5000, 'behind the image')]);
    expect(await matchesHash(hash, memorySource(partition))).toBe(true);
    partition[boot.length + 10]! ^= 1;
    expect(await matchesHash(hash, memorySource(partition))).toBe(true);
    partition[1000]! ^= 1;
    expect(await matchesHash(hash, memorySource(partition))).toBe(false);
    expect(await matchesHash(hash, memorySource(boot.subarray(1)))).toBeUndefined();
    expect(await matchesHash({ ...hash, algorithm: 'blake2b-256' }, memorySource(partition))).toBeUndefined();
  });

  it('is found through the footer of a partition', async () => {
    const image = vbmeta({
      algorithm: 1,
      hash: 'sha256',
      signer: small,
      listed: hashOf('boot', boot.length, bootDigest),
    });
    const partition = Buffer.alloc(1 << 20);
    const offset = Math.ceil(boot.length / 4096) * 4096;
    boot.copy(partition);
    image.copy(partition, offset);
    Buffer.concat([
      Buffer.from('AVBf'),
      u32(1),
      u32(0),
      u64(boot.length),
      u64(offset),
      u64(image.length),
    ]).copy(partition, partition.length - 64);
    const source = memorySource(partition);
    const footer = (await readAvbFooter(source))!;
    expect(footer).toEqual({
      originalImageBytes: boot.length,
      vbmetaOffset: offset,
      vbmetaBytes: image.length,
    });
    expect(verifyVbmeta(await readVbmeta(source, footer.vbmetaOffset))).toEqual({ result: 'valid' });
    expect(await readAvbFooter(memorySource(boot))).toBeUndefined();
    partition.writeBigUInt64BE(1n << 40n, partition.length - 64 + 20);
    await expect(readAvbFooter(source)).rejects.toBeInstanceOf(FormatError);
  });

  it.each([
    ['magic', 0, 'X'],
    ['requiredMajor', 4, '\0\0\0\x02'],
    ['authenticationBytes', 12, '\0\0\0\0\0\0\0\x41'],
    ['auxiliaryBytes', 20, '\0\0\0\0\x40\0\0\0'],
    ['algorithm', 28, '\0\0\0\x63'],
    ['hashOffset', 32, '\xff\xff\xff\xff\xff\xff\xff\xff'],
    ['descriptorsOffset', 96, '\0\0\0\0\0\0\xff\xff'],
  ])('names %s when it makes no sense', async (field, offset, value) => {
    const image = vbmeta({ algorithm: 1, hash: 'sha256', signer: small, listed: descriptors(large) });
    image.write(value, offset, 'latin1');
    await expect(read(image)).rejects.toMatchObject({ name: 'FormatError', field, offset });
  });
});

describe('metadata made here', () => {
  it('is verified by node:crypto over the published layout, and by the reader', async () => {
    const { privateKey, publicKey } = generateKeyPairSync('rsa', { modulusLength: 2048 });
    const modulus = Buffer.from(publicKey.export({ format: 'jwk' }).n!, 'base64url');
    const encoded = encodePublicKey(modulus);
    const salt = Buffer.alloc(32, 7);
    const bytes = Buffer.from(
      writeVbmeta(
        [
          { kind: 'property', key: 'com.android.build.boot.os_version', value: '14' },
          { kind: 'hash', partition: 'boot', salt, image: boot },
          { kind: 'chain', partition: 'vbmeta_system', rollbackIndexLocation: 2, publicKey: encoded },
        ],
        5n,
        { publicKey: encoded, sign: (signed) => sign('sha256', signed, privateKey) },
      ),
    );
    // avb_vbmeta_image.h: big endian; block sizes at 12 and 20, offsets and sizes from 28 on.
    expect(bytes.toString('latin1', 0, 4)).toBe('AVB0');
    const u64At = (at: number) => Number(bytes.readBigUInt64BE(at));
    const [authentication, auxiliary] = [u64At(12), u64At(20)];
    expect(bytes.readUInt32BE(28)).toBe(1);
    expect(bytes.length).toBe(256 + authentication + auxiliary);
    const signed = Buffer.concat([bytes.subarray(0, 256), bytes.subarray(256 + authentication)]);
    const digest = createHash('sha256').update(signed).digest();
    expect(bytes.subarray(256 + u64At(32), 256 + u64At(32) + u64At(40)).equals(digest)).toBe(true);
    const signature = bytes.subarray(256 + u64At(48), 256 + u64At(48) + u64At(56));
    expect(verify('sha256', signed, publicKey, signature)).toBe(true);
    expect(u64At(112)).toBe(5);

    const found = await read(bytes);
    expect(verifyVbmeta(found).result).toBe('valid');
    const [property, hash, chain] = found.descriptors;
    expect(property).toMatchObject({ kind: 'property', key: 'com.android.build.boot.os_version' });
    expect(chain).toMatchObject({ kind: 'chain', partition: 'vbmeta_system', rollbackIndexLocation: 2 });
    const expected = createHash('sha256').update(salt).update(boot).digest();
    expect(Buffer.from((hash as HashDescriptor).digest).equals(expected)).toBe(true);

    const partition = Buffer.from(withFooter(boot, bytes, 1 << 20));
    expect(partition.toString('latin1', partition.length - 64, partition.length - 60)).toBe('AVBf');
    const footer = await readAvbFooter(memorySource(partition));
    expect(footer).toMatchObject({ originalImageBytes: boot.length, vbmetaBytes: bytes.length });
    expect(verifyVbmeta(await readVbmeta(memorySource(partition), footer!.vbmetaOffset)).result).toBe(
      'valid',
    );
  });
});
