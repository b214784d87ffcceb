import { describe, expect, it } from 'vitest';
import { parseProviderRows } from './provided.ts';

describe('rows that a content provider’s tool prints', () => {
  it('are told apart whatever their texts hold', () => {
    const text = [
      'Row: 0 _id=1, address=+44 5550 1, body=high water at six, body=ok',
      'Row: 1 _id=2, address=NULL, body=two',
      'lines, and a comma',
      'Row: 2 _id=3, address=x, body=',
      '',
    ].join('\n');
    expect(parseProviderRows(text, ['_id', 'address', 'body'])).toEqual([
      { _id: '1', address: '+44 5550 1', body: 'high water at six, body=ok' },
      { _id: '2', address: null, body: 'two\nlines, and a comma' },
      { _id: '3', address: 'x', body: '' },
    ]);
  });

  it('are left out where they are none', () => {
    expect(parseProviderRows('No result found.\n', ['_id'])).toEqual([]);
    expect(parseProviderRows('Row: 0 other=1\nError: x\n', ['_id'])).toEqual([]);
  });
});
