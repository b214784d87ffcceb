import { setTimeout as pause } from 'node:timers/promises';
import type { AppFacts } from '@keen-larder/core/apps/facts.ts';
import type { PhoneUser } from '@keen-larder/core/phone/users/users.ts';
import { Problem } from '../failures.ts';
import type { PhoneLink } from '../links/phone-link.ts';
import type { Bench } from './bench.ts';

/** A user without a screen lock is open within a moment; where there is one, somebody must unlock it. */
const opensWithinMs = 8000;
const lookMs = 300;

/** Users of a phone whose system runs, its owner first; of another phone nobody is told. */
export const usersOf = async (bench: Pick<Bench, 'linkIn'>, serial: string): Promise<readonly PhoneUser[]> =>
  (await bench.linkIn(serial, 'system')?.users?.list()) ?? [];

/** A user of a phone; undefined for the owner where nobody is told. @throws Problem 404 where the phone has no such user */
export async function userOn(
  bench: Pick<Bench, 'linkIn' | 'view'>,
  serial: string,
  id = 0,
): Promise<PhoneUser | undefined> {
  const found = (await usersOf(bench, serial)).find((user) => user.id === id);
  if (!found && id !== 0) throw new Problem(404, `${bench.view(serial).nickname} has no user ${id} now.`);
  return found;
}

/**
 * What is installed, for whichever user: a program that one of them has is no leftover, and has its folder for all.
 * @throws LinkFailure when the phone lists none
 */
export async function appsOfAll(link: PhoneLink, signal?: AbortSignal): Promise<AppFacts[]> {
  const users = (await link.users?.list()) ?? [];
  const lists: AppFacts[][] = [];
  for (const { id } of users) lists.push((await link.asUser(id).apps?.list(signal)) ?? []);
  return lists.flat();
}

/**
 * Has a user's services run, and waits a moment for the files to be open.
 * @returns all users as they are then
 * @throws Problem 404 where the phone has no such user
 */
export async function startUser(
  bench: Pick<Bench, 'linkIn' | 'view'>,
  serial: string,
  id: number,
): Promise<readonly PhoneUser[]> {
  if (id === 0) throw new Problem(400, 'The phone’s owner runs already.');
  await userOn(bench, serial, id);
  await bench.linkIn(serial, 'system')?.users?.start(id);
  const deadline = performance.now() + opensWithinMs;
  for (;;) {
    const users = await usersOf(bench, serial);
    if (users.find((user) => user.id === id)?.isOpen || performance.now() > deadline) return users;
    await pause(lookMs);
  }
}
