import { complain, print, type Command, type Process, type ShellHost } from '../shell/host.ts';
import { openFile } from './imports.ts';
import { dumpText } from './dump.ts';
import { entriesOf, entryText } from './entries.ts';
import { homeServices } from './home-commands.ts';
import { appIdOf } from '@keen-larder/core/apps/ids.ts';
import { runningUsers, startUser, userAmong, usersOf } from './users.ts';
import { installedApps } from './installed.ts';
import { grant, install, restrict, uninstall, uninstallForAll } from './manage.ts';
import { Refused, type InstallOptions } from './judging.ts';

/** Commands of a running system; recovery has none of them. */
const inSystem =
  (name: string, work: (process: Process) => Promise<number>): Command =>
  async (process) => {
    if (process.host.mode === 'system') return work(process);
    await process.err(`/sbin/sh: ${name}: not found\n`);
    return 127;
  };

interface Session {
  readonly options: InstallOptions;
  readonly files: { readonly name: string; readonly bytes: Buffer }[];
}
const sessions = new WeakMap<ShellHost, Map<number, Session>>();
/** What was stopped since the phone started. */
const stopped = new WeakMap<ShellHost, Set<string>>();

const sessionsOf = (host: ShellHost) => {
  const known = sessions.get(host) ?? new Map<number, Session>();
  sessions.set(host, known);
  return known;
};

/** The value behind an option. */
const after = (args: readonly string[], option: string): string | undefined => {
  const at = args.indexOf(option);
  return at < 0 ? undefined : args[at + 1];
};

async function inputOf(process: Process, bytes: number): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  let sum = 0;
  for await (const part of process.stdin) {
    parts.push(Uint8Array.from(process.host.flash.faults.onCable(part)));
    sum += part.length;
    if (sum >= bytes) break;
  }
  return Buffer.concat(parts);
}

type Handler = (
  process: Process,
  rest: readonly string[],
  /** Whom it is for; undefined where none was named. */
  user: number | undefined,
) => Promise<string>;

const packageOf = (rest: readonly string[]) => rest.filter((each) => !each.startsWith('-')).at(-1)!;

const optionsOf = (rest: readonly string[], user = 0): InstallOptions => ({
  user,
  installer: after(rest, '-i'),
  ownsUpdates: rest.includes('--update-ownership'),
  mayReplace: rest.includes('-r'),
  mayDowngrade: rest.includes('-d'),
});

/** What `pm` does, by its first word; a handler's text is printed (AOSP, PackageManagerShellCommand). */
const handlers: Readonly<Record<string, Handler>> = {
  'install-create': ({ host }, rest, user) => {
    const known = sessionsOf(host);
    const id = 1_000_000 + known.size * 7919 + 17;
    known.set(id, { options: optionsOf(rest, user), files: [] });
    return Promise.resolve(`Success: created install session [${id}]`);
  },
  'install-write': async (process, rest) => {
    const size = Number(after(rest, '-S'));
    const [id, name] = rest.filter((each, i) => each !== '-S' && rest[i - 1] !== '-S');
    const session = sessionsOf(process.host).get(Number(id));
    if (!session || !name) throw new Refused('Error: invalid session');
    const bytes = await inputOf(process, size);
    if (bytes.length !== size) throw new Refused(`Error: failed to write; expected ${size} bytes`);
    session.files.push({ name, bytes });
    return `Success: streamed ${size} bytes`;
  },
  'install-commit': async ({ host }, rest) => {
    const id = Number(rest.at(-1));
    const session = sessionsOf(host).get(id);
    if (!session) throw new Refused('Error: invalid session');
    sessionsOf(host).delete(id);
    await install(host, session.files, session.options);
    return 'Success';
  },
  'install-abandon': ({ host }, rest) => {
    sessionsOf(host).delete(Number(rest.at(-1)));
    return Promise.resolve('Success');
  },
  uninstall: async ({ host }, rest, user) => {
    if (user === undefined) await uninstallForAll(host, packageOf(rest));
    else await uninstall(host, packageOf(rest), rest.includes('-k'), user);
    return 'Success';
  },
  'install-existing': async ({ host }, rest, user = 0) => {
    const name = packageOf(rest);
    await restrict(host, name, user, { installed: true });
    return `Package ${name} installed for user: ${user}`;
  },
  'disable-user': async ({ host }, rest, user = 0) => {
    await restrict(host, packageOf(rest), user, { enabled: 3 });
    return `Package ${packageOf(rest)} new state: disabled-user`;
  },
  enable: async ({ host }, rest, user = 0) => {
    await restrict(host, packageOf(rest), user, { enabled: 0 });
    return `Package ${packageOf(rest)} new state: enabled`;
  },
  grant: async ({ host }, rest, user = 0) => {
    await grant(host, rest.at(-2)!, user, rest.at(-1)!, true);
    return '';
  },
  revoke: async ({ host }, rest, user = 0) => {
    await grant(host, rest.at(-2)!, user, rest.at(-1)!, false);
    return '';
  },
};

/** Verbs that root or the shell may use for anything; the rest of the phone may not. */
export const pm = inSystem('pm', async (process) => {
  const { host, args } = process;
  const [verb = '', ...words] = args;
  const { user, rest } = userAmong(words);
  if (!(await usersOf(host)).some(({ id }) => id === user))
    return complain(process, 'pm', `java.lang.IllegalArgumentException: Invalid user ${user}`);
  const known = await installedApps(host, user);
  const all = known.filter(({ installed }) => installed);
  if (verb === 'list' && rest[0] === 'packages') {
    const withPath = rest.includes('-f');
    const lines = (rest.includes('-u') ? known : all).map(
      ({ apk, paths }) => `package:${withPath ? `${paths[0]}=` : ''}${apk.package}\n`,
    );
    await print(process, lines.join(''));
    return 0;
  }
  if (verb === 'path') {
    const found = all.find(({ apk }) => apk.package === rest[0]);
    if (!found) return 1;
    await print(process, found.paths.map((path) => `package:${path}\n`).join(''));
    return 0;
  }
  const handler = handlers[verb];
  if (!handler) return complain(process, 'pm', `unknown command '${args.join(' ')}'`);
  try {
    const text = await handler(process, rest, words.includes('--user') ? user : undefined);
    if (text) await print(process, `${text}\n`);
    return 0;
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    await process.err(`${error.message}\n`);
    return 1;
  }
});

/** `cmd package …` is `pm …` under another name. */
export const cmd = inSystem('cmd', (process) => {
  const [name = '', ...args] = process.args;
  if (name === 'package') return pm({ ...process, args });
  const service = Object.hasOwn(homeServices, name) ? homeServices[name] : undefined;
  return service ? service(process, args) : complain(process, 'cmd', `Can't find service: ${name}`);
});

/** `am force-stop [--user ID] NAME`, `am start-user ID`, and `am start -a … -d file://PATH -t TYPE` */
export const am = inSystem('am', async (process) => {
  const [verb, ...words] = process.args;
  const { user, rest } = userAmong(words);
  if (verb === 'start-user')
    return (await startUser(process.host, Number(rest[0])))
      ? (await print(process, 'Success: user started\n'), 0)
      : complain(process, 'Error', 'could not start user');
  if (verb === 'start') return openFile(process, after(rest, '-d') ?? '', after(rest, '-t') ?? '');
  if (verb !== 'force-stop' || rest.length === 0)
    return complain(process, 'am', `unknown command '${verb ?? ''}'`);
  const set = stopped.get(process.host) ?? new Set();
  stopped.set(process.host, set.add(`${user} ${rest.at(-1)!}`));
  return 0;
});

/** `ps -A -o USER,NAME`: what a phone at rest runs, and the app that each user used last. */
export const ps: Command = async (process) => {
  const { host } = process;
  const rows = ['init', 'zygote', 'system_server', 'adbd'].map((name) => ['root', name]);
  for (const user of host.mode === 'system' ? await runningUsers(host) : []) {
    const apps = await installedApps(host, user);
    const able = apps.filter(({ installed, enabled }) => installed && enabled !== 3);
    const lastUsed = able.findLast(({ isBuiltIn }) => !isBuiltIn);
    for (const each of able) {
      const { apk, uid } = each;
      const runs = each === lastUsed || (user === 0 && (apk.duties.includes('home') || apk.sharedUserId));
      if (!runs || stopped.get(host)?.has(`${user} ${apk.package}`)) continue;
      const id = appIdOf(uid) - 10_000;
      rows.push([`u${user}_${id >= 0 ? `a${id}` : 'system'}`, apk.package]);
    }
  }
  const names = after(process.args, '-o') === 'NAME';
  const lines = [['USER', 'NAME'], ...rows].map(([of, name]) =>
    names ? name! : `${of!.padEnd(12)} ${name}`,
  );
  await print(process, [...lines, ''].join('\n'));
  return 0;
};

/** `dumpsys package packages`, or of some by their names. */
export async function dumpPackages(process: Process, names: readonly string[]): Promise<number> {
  const { host } = process;
  const users = await usersOf(host);
  const lists = await Promise.all(users.map(({ id }) => installedApps(host, id)));
  const rows = lists[0]!.map((_, i) => lists.map((list) => list[i]!));
  const isWanted = (name: string) => names[0] === 'packages' || names.includes(name);
  const wanted = rows.filter(([one]) => isWanted(one!.apk.package)).map(dumpText);
  const entries = (await entriesOf(host)).filter(({ name }) => isWanted(name));
  const sections = [...wanted, ...entries.map((entry) => entryText(entry, users))];
  await print(process, `Packages:\n${sections.join('')}\n`);
  return 0;
}
