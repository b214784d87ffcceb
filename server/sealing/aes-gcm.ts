import { createCipheriv, createDecipheriv } from 'node:crypto';

export const tagBytes = 16;
export const nonceBytes = 12;

/** AES-256-GCM (NIST SP 800-38D): what is sealed, and its tag. @param bound authenticated with it, and not in it */
export const gcmSeal = (key: Uint8Array, nonce: Uint8Array, bound: Uint8Array, plain: Uint8Array): Buffer =>
  Buffer.concat(gcmSealParts(key, nonce, bound, [plain]));

/** Larger answers take memory from the kernel and give it back, each time: that takes longer than sealing. */
const sliceBytes = 64 * 1024;

function* slices(bytes: Uint8Array): Generator<Uint8Array> {
  for (let at = 0; at < bytes.length; at += sliceBytes) yield bytes.subarray(at, at + sliceBytes);
}

/** As `gcmSeal`, of pieces one behind the other, without putting them together. */
export function gcmSealParts(
  key: Uint8Array,
  nonce: Uint8Array,
  bound: Uint8Array,
  plain: readonly Uint8Array[],
): Buffer[] {
  const cipher = createCipheriv('aes-256-gcm', key, nonce).setAAD(bound);
  const closed = plain.flatMap((each) => [...slices(each)].map((slice) => cipher.update(slice)));
  // Its last call gives nothing, and makes the tag.
  return [...closed, cipher.final(), cipher.getAuthTag()];
}

/** Undefined where it is not what was sealed. @param memory into which it is opened, of the taker's own */
export function gcmOpen(
  key: Uint8Array,
  nonce: Uint8Array,
  bound: Uint8Array,
  sealed: Uint8Array,
  memory?: Buffer,
): Buffer | undefined {
  if (sealed.length < tagBytes) return undefined;
  const decipher = createDecipheriv('aes-256-gcm', key, nonce)
    .setAAD(bound)
    .setAuthTag(sealed.subarray(-tagBytes));
  const plain = memory ?? Buffer.allocUnsafe(sealed.length - tagBytes);
  let filled = 0;
  try {
    for (const slice of slices(sealed.subarray(0, -tagBytes))) {
      plain.set(decipher.update(slice), filled);
      filled += slice.length;
    }
    decipher.final();
    return plain.subarray(0, filled);
  } catch {
    return undefined;
  }
}
