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

const tags = { sequence: 0x30, explicit0: 0xa0 } as const;

/** The certificates in a PKCS #7 signature (RFC 2315, 9.1), each as its own DER. @throws FormatError */
export function certificatesIn(signature: Uint8Array): Uint8Array[] {
  const [contentInfo] = derValues(signature);
  const explicit = derValues(contentInfo?.content ?? new Uint8Array()).find(
    ({ tag }) => tag === tags.explicit0,
  );
  const [signedData] = explicit ? derValues(explicit.content) : [];
  const parts = signedData ? derValues(signedData.content) : [];
  const certificates = parts.find(({ tag }) => tag === tags.explicit0);
  if (!certificates) throw bad(0, 'no certificates in it');
  return derValues(certificates.content)
    .filter(({ tag }) => tag === tags.sequence)
    .map(({ whole }) => whole);
}
