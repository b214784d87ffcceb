import { createCipheriv, createDecipheriv } from 'node:crypto';

export const tagBytes = 16;
export const nonceBytes = 12;

/** AES-256-GCM (NIST SP 800-38D): what is sealed, and its tag. @param bound authenticated with it, and not in it */
export function gcmSeal(key: Uint8Array, nonce: Uint8Array, bound: Uint8Array, plain: Uint8Array): Buffer {
  const cipher = createCipheriv('aes-256-gcm', key, nonce).setAAD(bound);
  return Buffer.concat([cipher.update(plain), cipher.final(), cipher.getAuthTag()]);
}

/** Undefined where it is not what was sealed. */
export function gcmOpen(
  key: Uint8Array,
  nonce: Uint8Array,
  bound: Uint8Array,
  sealed: Uint8Array,
): Buffer | undefined {
  if (sealed.length < tagBytes) return undefined;
  const decipher = createDecipheriv('aes-256-gcm', key, nonce)
    .setAAD(bound)
    .setAuthTag(sealed.subarray(-tagBytes));
  try {
    const plain = decipher.update(sealed.subarray(0, -tagBytes));
    decipher.final();
    return plain;
  } catch {
    return undefined;
  }
}
