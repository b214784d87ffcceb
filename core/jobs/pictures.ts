/** First bytes of pictures that every browser shows: PNG (ISO/IEC 15948), JPEG (ISO/IEC 10918), GIF89a, WebP (RFC 9649). */
const signatures: readonly (readonly [type: string, offset: number, text: string])[] = [
  ['image/png', 0, '\x89PNG\r\n\x1a\n'],
  ['image/jpeg', 0, '\xff\xd8\xff'],
  ['image/gif', 0, 'GIF8'],
  ['image/webp', 8, 'WEBP'],
];

/** The media type of a picture by its first 16 bytes; undefined for anything else, whatever it is called. */
export const pictureType = (head: Uint8Array): string | undefined =>
  signatures.find(([, offset, text]) =>
    [...text].every((letter, i) => head[offset + i] === letter.charCodeAt(0)),
  )?.[0];
