import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { openFileSystem } from '@keen-larder/core/formats/file-system/open.ts';
import { editTree, type Addition } from '../flash/file-tree.ts';
import { complain, print, type Command, type Process, type ShellHost } from '../shell/host.ts';
import { turnsOf } from '../shell/turns.ts';
import { homeFiles } from './home-files.ts';
import { installedApps } from './installed.ts';
import { userAmong } from './users.ts';
import { attributeOf, settingsFiles, tagOf, withElement, withoutElement } from './settings.ts';

const sdkOf = ({ properties }: ShellHost): number => Number(properties['ro.build.version.sdk'] ?? 0);

/** As last read, while nothing is written. */
const read = new WeakMap<
  ShellHost,
  { readonly writes: number; readonly texts: Map<string, Promise<string>> }
>();

function fileText(host: ShellHost, path: string): Promise<string> {
  const data = host.mounts.find(({ at }) => at === '/data');
  if (!data) return Promise.resolve('');
  const { writes } = host.flash;
  let now = read.get(host);
  if (now?.writes !== writes) read.set(host, (now = { writes, texts: new Map() }));
  const { texts } = now;
  const text =
    texts.get(path) ??
    turnsOf(host).reading(async () => (await (await openFileSystem(data.source)).text(path)) ?? '');
  texts.set(path, text);
  return text;
}

/** Writes a file of the system's anew. */
async function changeFile(host: ShellHost, path: string, change: (text: string) => string): Promise<void> {
  const data = host.mounts.find(({ at }) => at === '/data');
  if (!data) return;
  await turnsOf(host).changing(async () => {
    const fs = await openFileSystem(data.source);
    const bytes = Buffer.from(change((await fs.text(path)) ?? ''));
    const folders: Addition[] = [];
    const steps = path.split('/').slice(1, -1);
    for (let depth = 1; depth <= steps.length; depth++) {
      const folder = `/${steps.slice(0, depth).join('/')}`;
      if (await fs.find(folder)) continue;
      folders.push({ path: folder, type: 'directory', permissions: 0o771, ...systemOwned() });
    }
    await editTree(data.source, {
      adds: [
        ...folders,
        {
          ...{ path, type: 'file', permissions: 0o600, ...systemOwned() },
          ...{ bytes: bytes.length, content: onePiece(bytes) },
        },
      ],
    });
  });
}

const systemOwned = () => ({
  ...{ uid: 1000, gid: 1000, attributes: [], modifiedAt: Math.floor(Date.now() / 1000) },
});

/** An app's uid; undefined where it is not installed. The list of packages is asked first: all programs are not read for it. */
async function uidOf(host: ShellHost, name: string, user = 0): Promise<number | undefined> {
  for (const line of user === 0 ? (await fileText(host, settingsFiles.list)).split('\n') : []) {
    const [listed, uid] = line.split(' ');
    if (listed === name) return Number(uid);
  }
  const apps = await installedApps(host, user);
  return apps.find(({ apk, installed }) => installed && apk.package === name)?.uid;
}

const settingOf = (xml: string, name: string) => attributeOf(tagOf(xml, 'setting', name), 'value');
const withSetting = (xml: string, name: string, value: string) =>
  withElement(xml, 'settings', 'setting', name, `  <setting id="1" name="${name}" value="${value}" />`);

/** `settings [--user ID] get|put secure NAME [VALUE]` */
export const settings: Command = async (process) => {
  const { user, rest } = userAmong(process.args);
  const [verb, table, name = '', value = ''] = rest;
  if (process.host.mode !== 'system' || table !== 'secure')
    return complain(process, 'settings', 'Invalid command');
  if (verb === 'put') {
    await changeFile(process.host, homeFiles.secure(user), (xml) => withSetting(xml, name, value));
    return 0;
  }
  await print(
    process,
    `${settingOf(await fileText(process.host, homeFiles.secure(user)), name) || 'null'}\n`,
  );
  return 0;
};

/** `telecom set-default-dialer PACKAGE`, before there were roles. */
export const telecom: Command = async (process) => {
  const [verb, name = ''] = process.args;
  if (process.host.mode !== 'system' || verb !== 'set-default-dialer')
    return complain(process, 'telecom', 'unknown command');
  await changeFile(process.host, homeFiles.secure(), (xml) =>
    withSetting(xml, 'dialer_default_application', name),
  );
  await print(process, 'Success\n');
  return 0;
};

/** Of an operation, as the file has it (AOSP, AppOpsManager.OP_…), for those that the invented apps have. */
const opNumbers: Readonly<Record<string, number>> = {
  WRITE_SETTINGS: 23,
  SYSTEM_ALERT_WINDOW: 24,
  CAMERA: 26,
  RECORD_AUDIO: 27,
  RUN_IN_BACKGROUND: 63,
  REQUEST_INSTALL_PACKAGES: 66,
  RUN_ANY_IN_BACKGROUND: 70,
};
const modes = ['allow', 'ignore', 'deny', 'default', 'foreground'];

/** Of an operation of one app, for each user that has it. */
const sectionOfUid = (name: string, uid: number) => `<pkg n="${name}"><uid n="${uid}"`;

/** Modes of one app's operations by their numbers. */
function opsOf(xml: string, name: string, uid: number): Map<number, number> {
  const start = xml.indexOf(sectionOfUid(name, uid));
  const own = start < 0 ? '' : xml.slice(start, xml.indexOf('</pkg>', start));
  return new Map(
    [...own.matchAll(/<op n="(\d+)" m="(\d)"/g)].map(([, op, mode]) => [Number(op), Number(mode)]),
  );
}

async function appops(process: Process, args: readonly string[]): Promise<number> {
  const { host } = process;
  const { user, rest } = userAmong(args);
  const [verb, name = '', op = '', mode = ''] = rest;
  const uid = await uidOf(host, name, user);
  if (uid === undefined) return complain(process, 'Error', `No UID for ${name} in user ${user}`);
  const ops = opsOf(await fileText(host, homeFiles.ops), name, uid);
  if (verb === 'get') {
    const lines = Object.entries(opNumbers).flatMap(([each, number]) => {
      const has = ops.get(number);
      return has === undefined ? [] : [`${each}: ${modes[has]}\n`];
    });
    const uidLine = sdkOf(host) > 28 ? ['Uid mode: COARSE_LOCATION: foreground\n'] : [];
    await print(process, [...uidLine, ...(lines.length > 0 ? lines : ['No operations.\n'])].join(''));
    return 0;
  }
  const number = opNumbers[op];
  if (verb !== 'set' || number === undefined || !modes.includes(mode))
    return complain(process, 'Error', `Unknown operation string: ${op}`);
  if (mode === 'default') ops.delete(number);
  else ops.set(number, modes.indexOf(mode));
  const rows = [...ops].map(([each, has]) => `<op n="${each}" m="${has}" />`).join('');
  await changeFile(host, homeFiles.ops, (xml) => {
    const others = xml.replace(
      new RegExp(`  ${sectionOfUid(name, uid).replaceAll('.', '\\.')}.*</pkg>\n`),
      '',
    );
    const own = `  <pkg n="${name}"><uid n="${uid}" p="false">${rows}</uid></pkg>\n`;
    return (others || '<app-ops v="1">\n</app-ops>\n').replace('</app-ops>', `${own}</app-ops>`);
  });
  return 0;
}

async function deviceidle(process: Process, [verb, change]: readonly string[]): Promise<number> {
  const { host } = process;
  if (verb !== 'whitelist') return complain(process, 'cmd', `Unknown command: ${verb ?? ''}`);
  if (change === undefined) {
    const xml = await fileText(host, homeFiles.idle);
    const names = [...xml.matchAll(/<wl n="([^"]+)"/g)].map(([, name]) => name!);
    const rows: string[] = [];
    for (const name of names) {
      const uid = await uidOf(host, name);
      if (uid !== undefined) rows.push(`user,${name},${uid}\n`);
    }
    await print(process, `system-excidle,example.gateway,1000\n${rows.join('')}`);
    return 0;
  }
  const name = change.slice(1);
  if ((await uidOf(host, name)) === undefined) return complain(process, 'Unknown package', name);
  await changeFile(host, homeFiles.idle, (xml) => {
    const others = (xml || '<config>\n</config>\n').replace(`  <wl n="${name}" />\n`, '');
    return change.startsWith('+') ? others.replace('</config>', `  <wl n="${name}" />\n</config>`) : others;
  });
  await print(process, `${change.startsWith('+') ? 'Added' : 'Removed'}: ${name}\n`);
  return 0;
}

async function notification(
  process: Process,
  [verb, component = '', user = '0']: readonly string[],
): Promise<number> {
  const isAllowed = verb === 'allow_listener';
  if (!isAllowed && verb !== 'disallow_listener')
    return complain(process, 'cmd', `Unknown command: ${verb ?? ''}`);
  await changeFile(process.host, homeFiles.secure(Number(user)), (xml) => {
    const key = 'enabled_notification_listeners';
    const before = (settingOf(xml, key) ?? '').split(':').filter((each) => each !== '' && each !== component);
    return withSetting(xml, key, [...before, ...(isAllowed ? [component] : [])].join(':'));
  });
  return 0;
}

/** `cmd role add-role-holder --user ID ROLE PACKAGE`, since Android 10: of these roles each has one holder. */
async function role(process: Process, args: readonly string[]): Promise<number> {
  const { host } = process;
  if (sdkOf(host) < 29) return complain(process, "cmd: Can't find service", 'role');
  const { user } = userAmong(args);
  const [name = '', held = ''] = args.slice(-2);
  if (args[0] !== 'add-role-holder') return complain(process, 'Unknown command', args[0] ?? '');
  await changeFile(host, homeFiles.roles(sdkOf(host), user), (xml) =>
    (xml || '<roles version="1">\n</roles>\n')
      .replace(new RegExp(`  <role name="${name.replaceAll('.', '\\.')}">.*</role>\n`), '')
      .replace('</roles>', `  <role name="${name}"><holder name="${held}" /></role>\n</roles>`),
  );
  return 0;
}

/** `cmd locale get-app-locales|set-app-locales PACKAGE --user ID [--locales TAGS]`, since Android 13. */
async function locale(process: Process, args: readonly string[]): Promise<number> {
  const { host } = process;
  if (sdkOf(host) < 33) return complain(process, "cmd: Can't find service", 'locale');
  const { user } = userAmong(args);
  const [verb, name = ''] = args;
  if (verb === 'set-app-locales') {
    const tags = args[args.indexOf('--locales') + 1] ?? '';
    await changeFile(host, homeFiles.locales(user), (xml) => {
      const others = withoutElement(xml || '<locales>\n</locales>\n', 'package', name);
      if (tags === '') return others;
      return withElement(others, 'locales', 'package', name, `  <package name="${name}" tags="${tags}" />`);
    });
    return 0;
  }
  const tags =
    attributeOf(tagOf(await fileText(host, homeFiles.locales(user)), 'package', name), 'tags') ?? '';
  await print(process, `Locales for ${name} for user ${user} are [${tags}]\n`);
  return 0;
}

/** Services of `cmd` that tell and set what ties apps to a phone. */
export const homeServices: Readonly<
  Record<string, (process: Process, args: readonly string[]) => Promise<number>>
> = { appops, deviceidle, notification, role, locale };
