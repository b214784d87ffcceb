import { describe, expect, it } from 'vitest';
import { shellIds } from '@keen-larder/core/protocols/adb/shell.ts';
import { readUtf8, utf8 } from '@keen-larder/core/bytes/text.ts';
import { plainConversation } from './conversations.ts';

const mark = '0123456789abcdef0123456789abcdef';

/** What is heard of a stream that comes in pieces of some size. */
function heard(stream: string, pieceBytes: number) {
  const talk = plainConversation('true', false, mark);
  const bytes = utf8(stream);
  const told = { out: '', err: '', code: undefined as number | undefined };
  const hear = (parts: ReturnType<typeof talk.heard>) => {
    for (const { id, data } of parts) {
      if (id === shellIds.stdout) told.out += readUtf8(data);
      else if (id === shellIds.stderr) told.err += readUtf8(data);
      else told.code = data[0];
    }
  };
  for (let at = 0; at < bytes.length; at += pieceBytes) hear(talk.heard(bytes.slice(at, at + pieceBytes)));
  hear(talk.ended());
  return told;
}

describe('A command behind an adb daemon that frames nothing', () => {
  it.each([1, 2, 7, 31, 32, 33, 1000])('is heard whole in pieces of %i bytes', (pieceBytes) => {
    const out = `0123 0123456789abcdef0123456789abcde and ${mark.slice(0, 20)}`;
    expect(heard(`${out}${mark}dd: no\nroom\n3\n`, pieceBytes)).toEqual({
      out,
      err: 'dd: no\nroom',
      code: 3,
    });
    expect(heard(`${mark}\n0\n`, pieceBytes)).toEqual({ out: '', err: '', code: 0 });
  });

  it('has no end when its stream breaks off', () => {
    const out = `half of it ${mark.slice(0, 9)}`;
    expect(heard(out, 5)).toEqual({ out, err: '', code: undefined });
    expect(heard(`half${mark}dd: cut o`, 5)).toEqual({ out: 'half', err: '', code: undefined });
  });

  it('is given its input in portions, each when the one before was taken', async () => {
    const talk = plainConversation('cat', true, mark);
    const given: string[] = [];
    const write = (bytes: Uint8Array) => Promise.resolve(given.push(readUtf8(bytes)));
    let isTaken = false;
    const giving = talk.give(utf8('x'.repeat(300_000)), write).then(() => (isTaken = true));
    await new Promise((resolve) => setTimeout(resolve, 5));
    expect(given.map(({ length }) => length)).toEqual(['262144\n'.length, 262_144]);
    expect([...talk.heard(utf8('t\n'))]).toEqual([]);
    await new Promise((resolve) => setTimeout(resolve, 5));
    expect([given.at(-2), given.at(-1)!.length, isTaken]).toEqual(['37856\n', 37_856, false]);
    [...talk.heard(utf8('t'))].forEach(() => undefined);
    [...talk.heard(utf8('\n'))].forEach(() => undefined);
    await giving;
    await talk.endInput(write);
    expect(given.at(-1)).toBe('0\n');
  });
});
