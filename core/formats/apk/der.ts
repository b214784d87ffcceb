import { FormatError } from '../../bytes/format-error.ts';

/** One value of DER (ITU-T X.690). */
export interface DerValue {
  readonly tag: number;
  /** With its tag and length. */
  readonly whole: Uint8Array;
  readonly content: Uint8Array;
}

const bad = (offset: number, reason: string) => new FormatError('der', 'length', offset, reason);

/** The values that stand one behind the other. @throws FormatError */
export function derValues(bytes: Uint8Array): DerValue[] {
  const values: DerValue[] = [];
  for (let at = 0; at < bytes.length;) {
    if (at + 2 > bytes.length) throw bad(at, 'the input ends here');
    const first = bytes[at + 1]!;
    let headBytes = 2;
    let length = first;
    if (first & 0x80) {
      const count = first & 0x7f;
      if (count === 0 || count > 4 || at + 2 + count > bytes.length) throw bad(at, 'a length that is none');
      length = 0;
      for (let i = 0; i < count; i++) length = length * 256 + bytes[at + 2 + i]!;
      headBytes += count;
    }
    const end = at + headBytes + length;
    if (end > bytes.length) throw bad(at, `${length} bytes where ${bytes.length - at - headBytes} are left`);
    values.push({
      tag: bytes[at]!,
      whole: bytes.subarray(at, end),
      content: bytes.subarray(at + headBytes, end),
    });
    at = end;
  }
  return values;
}

const tags = { integer: 0x02, sequence: 0x30, explicit0: 0xa0 } as const;

/**
 * The certificate of whoever made a PKCS #7 signature (RFC 2315, 9.1 and 9.2), as its own DER: others may stand beside it.
 * @returns undefined where it is not among them
 * @throws FormatError
 */
export function signerIn(signature: Uint8Array): Uint8Array | undefined {
  const [contentInfo] = derValues(signature);
  const explicit = derValues(contentInfo?.content ?? new Uint8Array()).find(
    ({ tag }) => tag === tags.explicit0,
  );
  const [signedData] = explicit ? derValues(explicit.content) : [];
  const parts = signedData ? derValues(signedData.content) : [];
  const certificates = parts.find(({ tag }) => tag === tags.explicit0);
  if (!certificates) throw bad(0, 'no certificates in it');
  const [, named] = derValues(derValues(parts.at(-1)!.content)[0]?.content ?? new Uint8Array());
  const [issuer, serial] = derValues(named?.content ?? new Uint8Array());
  if (!issuer || !serial) throw bad(0, 'a signer who is not named');
  return derValues(certificates.content).find(({ tag, content }) => {
    if (tag !== tags.sequence) return false;
    // Version, where it is told, serial number, algorithm, issuer (RFC 5280, 4.1).
    const fields = derValues(derValues(content)[0]?.content ?? new Uint8Array());
    const at = fields.findIndex((each) => each.tag === tags.integer);
    return same(fields[at]?.whole, serial.whole) && same(fields[at + 2]?.whole, issuer.whole);
  })?.whole;
}

const same = (a: Uint8Array | undefined, b: Uint8Array): boolean =>
  a?.length === b.length && a.every((byte, i) => byte === b[i]);
