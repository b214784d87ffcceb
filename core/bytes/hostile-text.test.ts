// Texts that phones and files may be made to say, each of a megabyte: no rule may take long over any of them.
import { describe, expect, it } from 'vitest';
import { parseEntries, parsePackageDump } from '../apps/package-dump.ts';
import { checksumsIn } from '../formats/checksum-files/checksum-files.ts';
import { readContentLines } from '../formats/content-lines/content-lines.ts';
import { parseGetprop, parseProperties } from '../phone/properties.ts';
import { appsIn } from '../phone/proof.ts';
import { lineMatches, linesOf, plainText } from './lines.ts';
import { tagsIn } from './xml-tags.ts';

const bytes = 1 << 20;
const of = (pattern: string) => pattern.repeat(Math.ceil(bytes / pattern.length)).slice(0, bytes);

/** What makes rules go back and forth: blanks, half of what they look for, lines without an end. */
const texts: Readonly<Record<string, string>> = {
  blanks: of(' '),
  'line ends': of('\n'),
  'blank lines': of('\n   \n'),
  'one long word': of('a'),
  'half of a property': of('[a'),
  'half of a property, a line each': of('[a\n'),
  'properties without an end': of('[a]: [b'),
  'signs of equality': of('='),
  'half of a tag': of('<package name="a" '),
  'tags without an end': of('<package x'),
  'sections without a body': of('  Package [a.b] (1):\n'),
  'sections of blanks': `Packages:\n  Package [a.b] (1):\n${of('    \n')}`,
  'fields of blanks': `Packages:\n  Package [a.b] (1):\n${of('    a=           ')}`,
  'permissions without an end': `Packages:\n  Package [a.b] (1):\n    requested permissions:\n${of('      a.b:   \n')}`,
  'sums without a name': of(`${'a'.repeat(64)} `),
  'quoted values without an end': `A;B="${of('",""')}`,
  'odd characters': of('\u202e\u0000\ud800\uffff'),
};

const parsers: Readonly<Record<string, (text: string) => unknown>> = {
  linesOf: (text) => [...linesOf(text)].length,
  lineMatches: (text) => [...lineMatches(text, /^\s*(\w+): (\d+)/)].length,
  plainText,
  parseGetprop,
  parseProperties,
  parsePackageDump,
  parseEntries,
  checksums: (text: string) => [...checksumsIn(text)],
  readContentLines: (text) => {
    try {
      return readContentLines(text);
    } catch {
      return undefined;
    }
  },
  appsIn: (text) => appsIn(text, text),
  tagsIn: (text) => [...tagsIn(text, 'package')].length,
};

describe.each(Object.entries(parsers))('%s', (_name, parse) => {
  it.each(Object.entries(texts))('does not take long over %s', (_what, text) => {
    const before = process.cpuUsage();
    parse(text);
    const { user } = process.cpuUsage(before);
    // One pass takes some milliseconds; what goes back and forth takes minutes.
    expect(user / 1000).toBeLessThan(1500);
  });
});

describe('lines', () => {
  it('have no ends, and are cut where they are too long', () => {
    expect([...linesOf('a\r\nb\n\nc')]).toEqual(['a', 'b', '', 'c']);
    expect([...linesOf('x'.repeat(10_000))][0]).toHaveLength(4096);
    expect(plainText(' a\u0000\u202eb\nc ')).toBe('a b c');
  });
});

describe('tags', () => {
  it('have their attributes, the first of each name', () => {
    const xml = '<packages><package name="a.b" version="7" name="c" /><package open</packages>';
    const [first, ...rest] = tagsIn(xml, 'package');
    expect([...first!.attributes]).toEqual([
      ['name', 'a.b'],
      ['version', '7'],
    ]);
    expect(xml.slice(first!.end)).toMatch(/^<package open/);
    expect(rest.map(({ attributes }) => attributes.size)).toEqual([0]);
  });
});
