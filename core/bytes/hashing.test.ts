import { createHash } from 'node:crypto';
import { afterAll, expect, it } from 'vitest';
import { hashing, sha256, useHashesOf } from './hashing.ts';
import { hex } from './text.ts';

afterAll(() => useHashesOf((name) => createHash(name)));

// FIPS 180-4's examples, as published with it (NIST, "abc").
const abc = {
  sha256: 'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad',
  sha512:
    'ddaf35a193617abacc417349ae20413112e6fa4e89a97ea20a9eeee64b55d39a2192992a274fc1a836ba3c23a3feebbd454d4423643ce80e2a9ac94fa54ca49f',
} as const;

it.each(['sha256', 'sha512'] as const)('%s is the published one, portable and by the platform', (name) => {
  const parts = [new TextEncoder().encode('a'), new TextEncoder().encode('bc')] as const;
  const fed = () => hex(hashing(name).update(parts[0]).update(parts[1]).digest());
  expect(fed()).toBe(abc[name]);
  useHashesOf((each) => createHash(each));
  expect(fed()).toBe(abc[name]);
  expect(hex(sha256(new TextEncoder().encode('abc')))).toBe(abc.sha256);
});
