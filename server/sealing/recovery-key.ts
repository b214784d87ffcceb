import { createHash } from 'node:crypto';

/** RFC 4648, section 6. */
const letters = 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567';
/** Digits that are not among them, as somebody may have copied them by hand. */
const mistaken: Readonly<Record<string, string>> = { '0': 'O', '1': 'I', '8': 'B' };
const keyBytes = 16;
const keyLetters = Math.ceil((keyBytes * 8) / 5);
const checkLetters = 2;
const group = 4;

/** A recovery key for print: groups of four letters, the last two of which tell whether it was copied rightly. @param key 16 bytes */
export function printedKey(key: Uint8Array): string {
  const text = base32(key) + checkOf(key);
  return text.match(new RegExp(`.{1,${group}}`, 'g'))!.join('-');
}

/** The key that was printed, whatever stands between its letters. @throws Error saying what is wrong with it */
export function readKey(printed: string): Buffer {
  const text = [...printed.toUpperCase().replace(/[\s-]/g, '')]
    .map((each) => mistaken[each] ?? each)
    .join('');
  const stranger = [...text].find((each) => !letters.includes(each));
  if (stranger) throw new Error(`A recovery key has no “${stranger}” in it.`);
  if (text.length !== keyLetters + checkLetters)
    throw new Error(
      `A recovery key has ${keyLetters + checkLetters} letters and digits; this one has ${text.length}.`,
    );
  const key = fromBase32(text.slice(0, keyLetters));
  if (checkOf(key) !== text.slice(keyLetters) || base32(key) !== text.slice(0, keyLetters))
    throw new Error('A letter of the recovery key is not as it was printed. Compare it with the paper.');
  return key;
}

function base32(bytes: Uint8Array): string {
  const bits = [...bytes].map((byte) => byte.toString(2).padStart(8, '0')).join('');
  return bits
    .match(/.{1,5}/g)!
    .map((each) => letters[parseInt(each.padEnd(5, '0'), 2)])
    .join('');
}

function fromBase32(text: string): Buffer {
  const bits = [...text].map((each) => letters.indexOf(each).toString(2).padStart(5, '0')).join('');
  return Buffer.from(bits.match(/.{8}/g)!.map((each) => parseInt(each, 2)));
}

const checkOf = (key: Uint8Array): string =>
  base32(createHash('sha256').update(key).digest()).slice(0, checkLetters);
