import { describe, expect, it } from 'vitest';
import { sdkOfPackages } from '../../boot/boot.ts';
import { FormatError } from '../../bytes/format-error.ts';
import { appsIn } from '../../phone/proof.ts';
import { isAbx, readAbx, settingsText } from './abx.ts';

const utf = (text: string) => {
  const bytes = Buffer.from(text);
  return [bytes.length >> 8, bytes.length & 0xff, ...bytes];
};
const fresh = (text: string) => [0xff, 0xff, ...utf(text)];
const again = (index: number) => [index >> 8, index & 0xff];
const long = (value: bigint) => {
  const bytes = Buffer.alloc(8);
  bytes.writeBigInt64BE(value);
  return [...bytes];
};
/** Byte by byte after the platform's serializer: token, names interned, values by their types. */
const document = Uint8Array.from([
  ...[0x41, 0x42, 0x58, 0x00, 0x10],
  ...[0x32, ...fresh('packages')],
  ...[0x32, ...fresh('version')],
  ...[0x6f, ...fresh('sdkVersion'), 0, 0, 0, 34],
  ...[0x2f, ...fresh('fingerprint'), ...utf('a "b" & <c>')],
  ...[0x33, ...again(1)],
  ...[0x32, ...fresh('package')],
  ...[0x2f, ...fresh('name'), ...utf('example.tidebook')],
  ...[0x9f, ...fresh('ft'), ...long(0x19_0a1b_2c3dn)],
  ...[0x8f, ...again(1), ...long(-41n)],
  ...[0x3f, ...fresh('installer'), ...fresh('example.shop')],
  ...[0xcf, ...fresh('granted')],
  ...[0x4f, ...fresh('key'), 0, 2, 0xab, 0x01],
  ...[0x5f, ...fresh('blob'), 0, 2, 0xab, 0x01],
  ...[0x32, ...again(4)],
  ...[0xdf, ...again(9)],
  ...[0x33, ...again(4)],
  ...[0x33, ...again(4)],
  ...[0x33, ...again(0)],
  0x11,
]);

describe('binary XML', () => {
  it('says the same as its text', () => {
    expect(readAbx(document).split('\n').slice(1)).toEqual([
      '<packages>',
      '  <version sdkVersion="34" fingerprint="a &#34;b&#34; &#38; &#60;c&#62;" />',
      '  <package name="example.tidebook" ft="190a1b2c3d" version="-41" installer="example.shop" granted="true" key="ab01" blob="qwE=">',
      '    <package granted="false" />',
      '  </package>',
      '</packages>',
      '',
    ]);
  });

  it('is told from text, and either is read', () => {
    expect([isAbx(document), isAbx(Buffer.from('<?xml'))]).toEqual([true, false]);
    expect(settingsText(Buffer.from('<a ü="1" />'))).toBe('<a ü="1" />');
    expect(settingsText(document)).toBe(readAbx(document));
  });

  it('tells versions and the Android that user data is of, as the text does', () => {
    const text = settingsText(document);
    expect(sdkOfPackages(text)).toBe(34);
    const plain = text.replace('version="-41"', 'version="41"');
    expect(appsIn('example.tidebook 10061 0', plain)).toEqual(new Map([['example.tidebook', 41]]));
  });

  it('that is cut off or changed is an error or a text, whatever byte it is', () => {
    for (let at = 4; at < document.length; at++) {
      expect(() => readAbx(document.slice(0, at))).toThrow(FormatError);
      for (const value of [0x00, 0x7f, 0xff]) {
        const changed = document.slice();
        changed[at] = value;
        try {
          readAbx(changed);
        } catch (error) {
          expect(error).toBeInstanceOf(FormatError);
        }
      }
    }
  });
});
