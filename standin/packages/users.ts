import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { print, type Process, type ShellHost } from '../shell/host.ts';
import { turnsOf } from '../shell/turns.ts';

/** A user of the simulated phone, as its own files tell (AOSP frameworks/base, UserManagerService, their main lines). */
export interface SimulatedUser {
  readonly id: number;
  readonly name: string;
  /** Bits of UserInfo.FLAG_… */
  readonly flags: number;
  readonly bans: readonly string[];
}

const listFile = '/system/users/userlist.xml';
const fileOf = (id: number) => `/system/users/${id}.xml`;
const managedFlag = 0x20;
const ownerFlags = 0xc13;
/** Users that were started since the phone was; a profile runs as long as its owner does. */
const started = new WeakMap<ShellHost, Set<number>>();

/** The files in which a system notes its users. */
export const userFiles = (users: readonly SimulatedUser[]): { path: string; text: string }[] => [
  {
    path: listFile,
    text: [
      '<users nextSerialNumber="20" version="7">',
      ...users.map(({ id }) => `  <user id="${id}" />`),
      '</users>',
      '',
    ].join('\n'),
  },
  ...users.map(({ id, name, flags, bans }) => ({
    path: fileOf(id),
    text: [
      `<user id="${id}" serialNumber="${id}" flags="${flags}">`,
      `  <name>${name}</name>`,
      `  <restrictions ${bans.map((ban) => `${ban}="true"`).join(' ')} />`,
      '</user>',
      '',
    ].join('\n'),
  })),
];

const ownerAlone: SimulatedUser = { id: 0, name: 'Owner', flags: ownerFlags, bans: [] };

/** Users of a running system, the owner first; a phone that notes none has its owner alone. */
export function usersOf(host: ShellHost): Promise<SimulatedUser[]> {
  const data = host.mounts.find(({ at }) => at === '/data');
  if (!data) return Promise.resolve([ownerAlone]);
  return turnsOf(host).reading(async () => {
    const fs = await openFileSystem(data.source);
    const list = (await fs.text(listFile)) ?? '';
    const found: SimulatedUser[] = [];
    for (const [, id] of list.matchAll(/<user id="(\d+)"/g)) {
      const text = (await fs.text(fileOf(Number(id)))) ?? '';
      found.push({
        id: Number(id),
        name: /<name>(.*?)<\/name>/.exec(text)?.[1] ?? '',
        flags: Number(/\bflags="(\d+)"/.exec(text)?.[1] ?? 0),
        bans: [...text.matchAll(/\b(no_\w+)="true"/g)].map(([, ban]) => ban!),
      });
    }
    return found.length > 0 ? found : [ownerAlone];
  });
}

const isUp = (host: ShellHost, { id, flags }: SimulatedUser) =>
  id === 0 || (flags & managedFlag) !== 0 || (started.get(host)?.has(id) ?? false);

/** `am start-user ID`: no simulated user has a screen lock. @returns whether there is such a user */
export async function startUser(host: ShellHost, id: number): Promise<boolean> {
  if (!(await usersOf(host)).some((user) => user.id === id)) return false;
  started.set(host, (started.get(host) ?? new Set()).add(id));
  return true;
}

/** Users whose apps may run. */
export const runningUsers = async (host: ShellHost): Promise<number[]> =>
  (await usersOf(host)).filter((user) => isUp(host, user)).map(({ id }) => id);

/** `dumpsys user` (AOSP, UserManagerService.dump, its main lines). */
export async function dumpUsers(process: Process): Promise<number> {
  const { host } = process;
  const lines = (await usersOf(host)).flatMap((user) => [
    `  UserInfo{${user.id}:${user.name}:${user.flags.toString(16)}} serialNo=${user.id} isPrimary=${user.id === 0}`,
    `    State: ${isUp(host, user) ? 'RUNNING_UNLOCKED' : '-1'}`,
    `    Has profile owner: ${(user.flags & managedFlag) !== 0}`,
    '    Restrictions:',
    '      none',
    '    Effective restrictions:',
    ...(user.bans.length > 0 ? user.bans.map((ban) => `      ${ban}`) : ['      none']),
  ]);
  await print(
    process,
    ['Current user: 0', 'Users:', ...lines, '', '  Device owner id:-10000', ''].join('\n'),
  );
  return 0;
}

/** The user behind `--user`, and the words without it. */
export function userAmong(args: readonly string[]): { user: number; rest: string[] } {
  const at = args.indexOf('--user');
  if (at < 0) return { user: 0, rest: [...args] };
  const user = Number(args[at + 1]);
  return { user: Number.isInteger(user) ? user : 0, rest: args.filter((_, i) => i !== at && i !== at + 1) };
}
