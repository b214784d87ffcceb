import { Encrypter } from 'age-encryption';

/** Whom a file is sealed for: whoever knows a passphrase, or has the identity of one of some recipients. */
export type AgeSeal =
  | { readonly passphrase: string }
  /** Public keys, `age1…`. */
  | { readonly recipients: readonly string[] };

export const ageSuffix = '.age';

/** Work factor of scrypt, as the `age` tool chooses it (2^18); tests take less. */
const usualLogN = 18;

/**
 * Seals a stream as an age file (C2SP, age-encryption.org/v1).
 * @throws Error where a recipient is none
 */
export async function* ageSealed(
  seal: AgeSeal,
  bytes: AsyncIterable<Uint8Array>,
  logN = usualLogN,
): AsyncGenerator<Uint8Array> {
  const encrypter = encrypterOf(seal, logN);
  const sealed = await encrypter.encrypt(streamOf(bytes));
  for await (const part of sealed) yield part;
}

/** @throws Error where a recipient is none */
export function requireRecipients(recipients: readonly string[]): void {
  encrypterOf({ recipients }, usualLogN);
}

function encrypterOf(seal: AgeSeal, logN: number): Encrypter {
  const encrypter = new Encrypter();
  if ('passphrase' in seal) {
    encrypter.setScryptWorkFactor(logN);
    encrypter.setPassphrase(seal.passphrase.normalize('NFC'));
  } else for (const each of seal.recipients) encrypter.addRecipient(each);
  return encrypter;
}

function streamOf(bytes: AsyncIterable<Uint8Array>): ReadableStream<Uint8Array> {
  const iterator = bytes[Symbol.asyncIterator]();
  return new ReadableStream<Uint8Array>({
    async pull(controller) {
      const next = await iterator.next();
      if (next.done) controller.close();
      else controller.enqueue(Uint8Array.from(next.value));
    },
    async cancel() {
      await iterator.return?.();
    },
  });
}
