import { expect, it } from 'vitest';
import { commands } from '@keen-larder/core/protocols/adb/packet.ts';
import { LateEnds } from './late-ends.ts';

const { WRTE, OKAY, CLSE } = commands;
const phones = 7;
const ours = 3;
const data = { command: WRTE, arg0: phones, arg1: ours };
const end = { command: CLSE, arg0: phones, arg1: ours };
const read = { command: OKAY, arg0: ours, arg1: phones };

it('hands the end of a stream on once all before it is read', () => {
  const ends = new LateEnds();
  expect([ends.came(data), ends.came(data)]).toEqual([data, data]);
  expect(ends.sent(read)).toBeUndefined();
  expect(ends.came(end)).toBeUndefined();
  expect(ends.came({ ...data, arg1: 4 })).toBeDefined();
  expect(ends.sent({ ...read, arg0: 4 })).toBeUndefined();
  expect(ends.sent(read)).toEqual(end);
});

it('holds nothing back on a stream that this computer closes', () => {
  const ends = new LateEnds();
  ends.came(data);
  expect(ends.came(end)).toBeUndefined();
  expect(ends.sent({ command: CLSE, arg0: ours, arg1: phones })).toEqual(end);
  ends.came(data);
  ends.sent({ command: CLSE, arg0: ours, arg1: phones });
  expect(ends.came(data)).toEqual(data);
  expect(ends.came(end)).toEqual(end);
});

it('hands it on at once where nothing waits', () => {
  const ends = new LateEnds();
  expect(ends.came(end)).toEqual(end);
  ends.came(data);
  ends.sent(read);
  expect(ends.came(end)).toEqual(end);
});
