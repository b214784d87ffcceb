import { describe, expect, it } from 'vitest';
import fc from 'fast-check';
import { checksumLine, isChecksumFileName, checksumsIn } from './checksum-files.ts';

const sha256 = 'e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855';
const md5 = 'd41d8cd98f00b204e9800998ecf8427e';

describe('checksum files', () => {
  it('are read as GNU and BSD tools write them, other lines passed over', () => {
    const text = `# of the set\n${sha256} *boot.img\r\n${md5}  ./a folder/b.img\n\nSHA256 (c (1).img) = ${sha256.toUpperCase()}\nMD5 (d) = ${md5}\n${md5.slice(1)} *short\n`;
    expect([...checksumsIn(text)]).toEqual([
      { kind: 'sha256', digest: sha256, name: 'boot.img' },
      { kind: 'md5', digest: md5, name: 'a folder/b.img' },
      { kind: 'sha256', digest: sha256, name: 'c (1).img' },
      { kind: 'md5', digest: md5, name: 'd' },
    ]);
  });

  it('are none where no line has a digest', () => {
    expect([...checksumsIn('a plain note\n')]).toEqual([]);
  });

  it('have names with the line separators of Unicode, which are characters there', () => {
    const name = 'a\u2028b\u2029.img';
    expect([...checksumsIn(checksumLine(Buffer.from(sha256, 'hex'), name))]).toMatchObject([{ name }]);
    expect([...checksumsIn(`SHA256 (${name}) = ${sha256}\n`)]).toMatchObject([{ name }]);
  });

  it('survive names of any characters', () => {
    const name = fc.string({ minLength: 1, unit: 'grapheme' }).filter((each) => !each.startsWith('./'));
    fc.assert(
      fc.property(name, (each) => {
        const line = checksumLine(Buffer.from(sha256, 'hex'), each);
        expect(line.split('\n')).toHaveLength(2);
        expect([...checksumsIn(line)]).toEqual([{ kind: 'sha256', digest: sha256, name: each }]);
      }),
    );
  });

  it.each([
    ['SHA256SUMS', true],
    ['md5sum.txt', true],
    ['boot.img.sha256', true],
    ['boot.img', false],
    ['sha256.img', false],
  ])('%s is one by its name: %s', (name, is) => {
    expect(isChecksumFileName(name)).toBe(is);
  });
});
