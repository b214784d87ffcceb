import { beforeEach, expect, it } from 'vitest';
import { GoingOn } from './going-on.ts';

const minute = 60_000;
let time: number;
let hours: readonly [number, number];
let isBusy: boolean;
let succeeds: boolean;
let copies: number;
let goingOn: GoingOn;
beforeEach(() => {
  // Noon, wherever this runs.
  time = new Date(2026, 10, 1, 12).getTime();
  [hours, isBusy, succeeds, copies] = [[0, 24], false, true, 0];
  goingOn = new GoingOn({
    isBusy: () => isBusy,
    mayGoOn: (hour) => hour >= hours[0] && hour < hours[1],
    goOn: () => (copies++, Promise.resolve(succeeds)),
    now: () => time,
  });
});
const pass = async (minutes: number) => {
  for (let i = 0; i < minutes; i++) {
    time += minute;
    await goingOn.step();
  }
};

it('copies a minute after something changed, and looks again after hours', async () => {
  await pass(10);
  expect(copies).toBe(0);
  goingOn.look();
  await pass(30);
  expect(copies).toBe(1);
  await pass(6 * 60);
  expect(copies).toBe(2);
});

it('waits for runs and for its hours, and tries again where it did not succeed', async () => {
  goingOn.look();
  isBusy = true;
  await pass(10);
  expect(copies).toBe(0);
  [isBusy, hours] = [false, [13, 14]];
  await pass(49);
  expect(copies).toBe(0);
  succeeds = false;
  await pass(2);
  expect(copies).toBe(1);
  await pass(16);
  expect(copies).toBe(2);
  succeeds = true;
  await pass(16);
  expect(copies).toBe(3);
  await pass(16);
  expect(copies).toBe(3);
});
