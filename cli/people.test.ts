// Who works at the bench, and the record, from a terminal.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { testFolder } from '../testing/folder.ts';
import { larderCommand } from '../testing/programs/larder-command.ts';

const folder = testFolder();
afterAll(() => folder.remove());
const home = join(folder.path, 'larder');
const larder = (words: readonly string[], passphrase = 'samphire and sea lavender') =>
  larderCommand([...words, '--home', home], { KEEN_LARDER_OPERATOR_PASSPHRASE: passphrase });

it('names operators, gives new passphrases, and keeps an owner', async () => {
  expect(await larder(['operators', 'list'])).toMatchObject({ code: 1 });
  expect(await larder(['operators', 'add', 'Hut owner'], 'short')).toMatchObject({ code: 2 });
  expect(await larder(['operators', 'add', 'Hut owner'])).toMatchObject({
    code: 0,
    out: 'Hut owner is an owner of this bench.\n',
  });
  expect(await larder(['operators', 'add', 'Bench two'])).toMatchObject({
    code: 0,
    out: 'Bench two is a technician of this bench.\n',
  });
  expect(await larder(['operators', 'add', 'bench TWO'])).toMatchObject({ code: 2 });
  expect(await larder(['operators', 'passphrase', 'bench two'], 'marram grass in the wind')).toMatchObject({
    code: 0,
  });
  expect(await larder(['operators', 'passphrase', 'nobody'])).toMatchObject({
    code: 2,
    err: 'There is no operator “nobody”.\n',
  });
  expect(await larder(['operators', 'remove', 'Hut owner'])).toMatchObject({ code: 2 });
  expect(await larder(['operators', 'list'])).toMatchObject({
    code: 0,
    out: 'technician  Bench two\nowner       Hut owner\n',
  });
});

it('verifies the record, and an export of it, also against an earlier one', async () => {
  const [earlier, later] = [join(folder.path, 'earlier.jsonl'), join(folder.path, 'later.jsonl')];
  writeFileSync(earlier, (await larder(['record', 'export'])).out);
  await larder(['operators', 'remove', 'Bench two']);
  writeFileSync(later, (await larder(['record', 'export'])).out);
  expect(readFileSync(later, 'utf8').startsWith(readFileSync(earlier, 'utf8'))).toBe(true);
  expect(await larder(['record', 'verify', '--against', earlier])).toMatchObject({
    code: 0,
    out: expect.stringMatching(/^4 lines, none changed/) as string,
  });
  expect(await larder(['record', 'verify', earlier, '--against', later])).toMatchObject({
    code: 1,
    err: expect.stringMatching(/changed or removed/) as string,
  });
  writeFileSync(later, readFileSync(later, 'utf8').replace('/operators', '/others'));
  expect(await larder(['record', 'verify', later])).toMatchObject({
    code: 1,
    err: 'Line 2, or the one before it, is not as it was written.\n',
  });
});
