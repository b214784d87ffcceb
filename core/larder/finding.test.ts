import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { byCloseness, closeness, findQuery, gramsOf, holdsAll, pathQuery } from './finding.ts';

describe('what was typed', () => {
  it('is words, and a checksum where it may be one', () => {
    expect(findQuery('  Before  the Update ')).toEqual({
      words: ['before', 'the', 'update'],
      digest: undefined,
    });
    expect(findQuery('9F86D081884c')).toEqual({ words: ['9f86d081884c'], digest: '9f86d081884c' });
    // Hexadecimal digits, and a word.
    expect(findQuery('facade').digest).toBeUndefined();
    expect(findQuery('9f86d').digest).toBeUndefined();
    expect(findQuery('9f86d081 884c').digest).toBeUndefined();
    expect(findQuery('')).toEqual({ words: [], digest: undefined });
  });

  it('tells the name of a file from the folders above it', () => {
    expect(pathQuery(findQuery('build.prop'))).toEqual({ name: 'build.prop', others: [] });
    expect(pathQuery(findQuery('system/etc/hosts'))).toEqual({ name: 'hosts', others: ['system/etc/hosts'] });
    expect(pathQuery(findQuery('etc build.prop'))).toEqual({ name: 'build.prop', others: ['etc'] });
    expect(pathQuery(findQuery('/etc/'))).toEqual({ name: 'etc', others: ['/etc/'] });
    expect(pathQuery(findQuery('/'))).toBeUndefined();
    expect(pathQuery(findQuery(''))).toBeUndefined();
  });
});

describe('names', () => {
  it('that hold a word hold all of its runs of three letters', () => {
    expect(gramsOf('build')).toEqual(['bui', 'uil', 'ild']);
    expect(gramsOf('aaaa')).toEqual(['aaa']);
    expect(gramsOf('ab')).toEqual([]);
    fc.assert(
      fc.property(fc.string(), fc.string({ minLength: 3 }), fc.string(), (before, word, after) => {
        expect(holdsAll(before + word + after, gramsOf(word.toLowerCase()))).toBe(true);
      }),
    );
  });

  it('come in the order in which they were most likely meant', () => {
    const names = ['rebuild.sh', 'my.build', 'build.prop', 'build', 'build.gradle'];
    expect(names.sort(byCloseness('build'))).toEqual([
      'build',
      'build.prop',
      'build.gradle',
      'my.build',
      'rebuild.sh',
    ]);
    expect(closeness('BUILD', 'build')).toBe(0);
  });
});
