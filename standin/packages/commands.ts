import { complain, print, type Command, type Process, type ShellHost } from '../shell/host.ts';
import { openFile } from './imports.ts';
import { dumpText } from './dump.ts';
import { homeServices } from './home-commands.ts';
import { installedApps } from './installed.ts';
import {
  grant,
  install,
  Refused,
  restrict,
  uninstall,
  uninstallForAll,
  type InstallOptions,
} from './manage.ts';

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

type Handler = (process: Process, rest: readonly string[]) => Promise<string>;

const packageOf = (rest: readonly string[]) =>
  rest.filter((each) => !each.startsWith('-') && each !== '0').at(-1)!;

const optionsOf = (rest: readonly string[]): InstallOptions => ({
  installer: after(rest, '-i'),
  ownsUpdates: rest.includes('--update-ownership'),
  mayReplace: rest.includes('-r'),
  mayDowngrade: rest.includes('-d'),
});

/** What `pm` does, by its first word; a handler's text is printed (AOSP, PackageManagerShellCommand). */
const handlers: Readonly<Record<string, Handler>> = {
  'install-create': ({ host }, rest) => {
    const known = sessionsOf(host);
    const id = 1_000_000 + known.size * 7919 + 17;
    known.set(id, { options: optionsOf(rest), files: [] });
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
  uninstall: async ({ host }, rest) => {
    if (!rest.includes('--user')) await uninstallForAll(host, packageOf(rest));
    else await uninstall(host, packageOf(rest), rest.includes('-k'));
    return 'Success';
  },
  'install-existing': async ({ host }, rest) => {
    const name = packageOf(rest);
    await restrict(host, name, { installed: true });
    return `Package ${name} installed for user: 0`;
  },
  'disable-user': async ({ host }, rest) => {
    await restrict(host, packageOf(rest), { enabled: 3 });
    return `Package ${packageOf(rest)} new state: disabled-user`;
  },
  enable: async ({ host }, rest) => {
    await restrict(host, packageOf(rest), { enabled: 0 });
    return `Package ${packageOf(rest)} new state: enabled`;
  },
  grant: async ({ host }, rest) => {
    await grant(host, rest.at(-2)!, rest.at(-1)!, true);
    return '';
  },
  revoke: async ({ host }, rest) => {
    await grant(host, rest.at(-2)!, rest.at(-1)!, false);
    return '';
  },
};

/** Verbs that root or the shell may use for anything; the rest of the phone may not. */
export const pm = inSystem('pm', async (process) => {
  const { host, args } = process;
  const [verb = '', ...rest] = args;
  const known = await installedApps(host);
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
    const text = await handler(process, rest);
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

/** `am force-stop NAME`, and `am start -a … -d file://PATH -t TYPE` */
export const am = inSystem('am', async (process) => {
  const [verb, ...rest] = process.args;
  if (verb === 'start') return openFile(process, after(rest, '-d') ?? '', after(rest, '-t') ?? '');
  if (verb !== 'force-stop' || rest.length === 0)
    return complain(process, 'am', `unknown command '${verb ?? ''}'`);
  const set = stopped.get(process.host) ?? new Set();
  stopped.set(process.host, set.add(rest.at(-1)!));
  return 0;
});

/** `ps -A -o NAME`: what a phone at rest runs, and the app that was used last. */
export const ps: Command = async (process) => {
  const { host } = process;
  const always = ['init', 'zygote', 'system_server', 'adbd'];
  const apps = host.mode === 'system' ? await installedApps(host) : [];
  const able = apps.filter(({ installed, enabled }) => installed && enabled !== 3);
  const lastUsed = able.findLast(({ isBuiltIn }) => !isBuiltIn);
  const names = able
    .filter((each) => each === lastUsed || each.apk.duties.includes('home') || each.apk.sharedUserId)
    .map(({ apk }) => apk.package)
    .filter((name) => !stopped.get(host)?.has(name));
  await print(process, ['NAME', ...always, ...names, ''].join('\n'));
  return 0;
};

/** `dumpsys package packages`, or of some by their names. */
export async function dumpPackages(process: Process, names: readonly string[]): Promise<number> {
  const all = await installedApps(process.host);
  const wanted = names[0] === 'packages' ? all : all.filter(({ apk }) => names.includes(apk.package));
  await print(process, `Packages:\n${wanted.map(dumpText).join('')}\n`);
  return 0;
}
