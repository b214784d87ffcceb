import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { ProviderQuestion } from '@keen-larder/core/records/provided.ts';
import type { InstallHow } from '../app-access.ts';
import { PhoneRefusal } from '../../failures.ts';

/** Quotes a word for the phone's shell. */
export const quote = (word: string): string => `'${word.replaceAll("'", `'\\''`)}'`;

const words = (all: readonly string[]): string => all.map(quote).join(' ');

const kernelBattery = '/sys/class/power_supply/battery';
const blockBytes = 1 << 20;
/** Pieces begin and end where chunks do. */
const pieceBlockBytes = 256 * 1024;
/** So much fits into one adb payload together with its shell frame. */
const framedBlockBytes = blockBytes - 4096;

export type DigestName = 'sha256' | 'md5';
/** Tools that pack a stream, the better first. */
export const packers = ['zstd', 'gzip'] as const;
export type Packer = (typeof packers)[number];

const packing = { zstd: 'zstd -1 -q -c', gzip: 'gzip -1 -c' } as const;
const unpacking = { zstd: 'zstd -d -q -c', gzip: 'gzip -d -c' } as const;

/** A package's or permission's name is a word of the shell as it is. */
const plainName = /^[A-Za-z0-9_.]+$/;

/** @throws PhoneRefusal for what could not be the name of a package or a permission */
function nameOf(name: string): string {
  if (!plainName.test(name)) throw new PhoneRefusal(`“${name}” is not the name of an app or a permission.`);
  return name;
}

/**
 * Every command line that a phone's shell is given, by what it is for. They are tried on the tools that phones have, each
 * in the shapes that a test lists, and a command that it does not list is an error of types. Whatever a phone's tools
 * do otherwise is dealt with here, with the tool that does so named.
 */
export const commands = {
  userId: () => 'id -u',
  properties: () => 'getprop',
  property: (name: string) => `getprop ${nameOf(name)}`,
  batteryOfSystem: () => 'dumpsys battery',
  batteryOfKernel: () => `cat ${kernelBattery}/capacity ${kernelBattery}/status`,
  imei: () => 'service call iphonesubinfo 1',
  mounts: () => 'cat /proc/mounts',

  /** @param folder with a slash behind it, since it may be a link; or a pattern, which is no word */
  listByName: (folder: string) => `ls -l ${quote(folder)}`,
  /** Where older phones have theirs, by the name of their controller. */
  searchByName: () => 'ls -d /dev/block/platform/*/by-name /dev/block/platform/*/*/by-name',
  /** Boot areas of eMMC that no partition table lists (kernel, Documentation/driver-api/mmc/mmc-dev-parts). */
  bootAreas: () => 'ls /dev/block/mmcblk0boot0 /dev/block/mmcblk0boot1',
  /** A line for each, `-` where there is none. toybox takes one device a call. */
  nodeSizes: (nodes: readonly string[]) =>
    nodes.map((node) => `blockdev --getsize64 ${quote(node)} || echo -`).join('; '),
  diskSize: (disk: string) => `blockdev --getsize64 ${quote(disk)} && blockdev --getss ${quote(disk)}`,
  /** What of a node lies in some ranges, one behind the other. */
  readRanges: (node: string, ranges: readonly ByteRange[]) => readsOf(node, ranges).join(' && '),
  /** The same, packed on the way. Its exit code is that of the tool: fewer bytes than asked for tell that some could not be read. */
  readRangesPacked: (by: Packer, node: string, ranges: readonly ByteRange[]) =>
    `{ ${readsOf(node, ranges).join(' && ')}; } | ${packing[by]}`,
  /** What is printed is unpacked here and compared; that it unpacks its own is tried as well. */
  packWords: (by: Packer, words: string) => `echo ${quote(words)} | ${packing[by]}`,
  packAndUnpackWords: (by: Packer, words: string) =>
    `echo ${quote(words)} | ${packing[by]} | ${unpacking[by]}`,
  digestNode: (by: DigestName, node: string) => `${flush(node)}; ${by}sum ${quote(node)}`,
  /** Of what its input says is read: a command line of a file system's ranges would be longer than Linux takes. */
  digestRanges: (by: DigestName, node: string) => `${flush(node)}; sh | ${by}sum`,
  /** Of pieces, which its input says: `piecesScript`. */
  digestPieces: (node: string) => `${flush(node)}; sh`,
  /** Whether a tool for digests is there and right. */
  digestOfNothing: (by: DigestName) => `${by}sum /dev/null`,
  /** toybox overruns `bs=` where what it reads comes in short pieces, as from a socket; blocks of its own it fills. */
  writeAt: (node: string, offset: number) =>
    `dd of=${quote(node)} ibs=${blockBytes} obs=${blockBytes} seek=${offset / blockBytes} conv=notrunc`,
  writePackedAt: (by: Packer, node: string, offset: number): string =>
    `${unpacking[by]} | ${commands.writeAt(node, offset)}`,
  writeZeros: (node: string, offset: number, bytes: number) =>
    `dd if=/dev/zero of=${quote(node)} bs=${blockBytes} seek=${offset / blockBytes} count=${bytes / blockBytes} conv=notrunc`,
  sync: () => 'sync',
  forget: (node: string) => flush(node),

  mount: (fileSystem: string, node: string, at: string, way: 'ro' | 'rw') =>
    `mount -t ${fileSystem} -o ${way} ${quote(node)} ${quote(at)}`,
  unmount: (at: string) => `umount ${quote(at)}`,
  makeExt4: (node: string) => `mke2fs -t ext4 -b 4096 -q -F ${quote(node)}`,
  makeF2fs: (node: string) => `make_f2fs -g android ${quote(node)}`,

  names: (folder: string) => `ls -A ${quote(folder)}`,
  removeAll: (paths: readonly string[]) => `rm -rf ${words(paths)}`,
  makeFolders: (paths: readonly string[]) => `mkdir -p ${words(paths)}`,
  makeFoldersOf: (owner: number, paths: readonly string[]) =>
    `mkdir -p ${words(paths)} && chown ${owner}:${owner} ${words(paths)}`,
  /** Which nobody but its owner looks into. */
  makePrivateFolder: (owner: number, folder: string) =>
    `mkdir -p -m 700 ${quote(folder)} && chown ${owner}:${owner} ${quote(folder)}`,
  move: (paths: readonly string[], into: string) => `mv ${words(paths)} ${quote(into)}`,
  moveOver: (paths: readonly string[], into: string) => `mv -f ${words(paths)} ${quote(into)}`,
  /** Of some names in a folder: not every tar can leave names out. */
  archive: (folder: string, options: string, names: readonly string[]) =>
    `tar -c -f - -C ${quote(folder)} ${options} ${words(names)}`,
  unpack: (folder: string, options: string) => `tar -x -p -f - -C ${quote(folder)} ${options} && sync`,
  /** The folder alone, to see whether labels come along. */
  archiveAlone: (folder: string, options: string) =>
    `tar -c -f - -C ${quote(folder)} ${options} --exclude='./*' .`,
  tarHelp: () => 'tar --help',
  /** Where some tools are; nothing of those that are not there. */
  whereTools: (names: readonly string[]) =>
    `${names.map((name) => `command -v ${nameOf(name)}`).join('; ')}; true`,
  /** Sockets, pipes and devices, which hold no data. */
  unkept: (folder: string) =>
    `find -H ${quote(folder)} '(' -type s -o -type p -o -type b -o -type c ')' 2>/dev/null; true`,
  labels: (folder: string) =>
    `cd ${quote(folder)} && find . -exec stat -c '%C %F|%n' '{}' + 2>/dev/null; true`,
  /** As it may be for who is not root: owners and modes are the phone's own. */
  unpackPlainly: (folder: string) => `tar -x -f - -C ${quote(folder)} && sync`,
  /** busybox unpacks links without their owners. */
  ownLinks: (owner: string, folder: string, paths: readonly string[]) =>
    `cd ${quote(folder)} && chown -h ${quote(owner)} ${words(paths)}`,
  label: (label: string, folder: string, paths: readonly string[]) =>
    `cd ${quote(folder)} && chcon ${quote(label)} ${words(paths)}`,
  /** Lines that end with a link's path, an arrow and its target. */
  linkTargets: (folder: string, paths: readonly string[]) =>
    `cd ${quote(folder)} && ls -ld ${words(paths)} 2>/dev/null; true`,
  /** Of a folder and all in it. */
  kibibytes: (folder: string) => `du -sk ${quote(folder)} 2>/dev/null; true`,
  content: (path: string) => `cat ${quote(path)}`,
  contentIfThere: (path: string) => `cat ${quote(path)} 2>/dev/null; true`,
  readFile: (path: string, block: number, from: number, blocks: number) =>
    `dd if=${quote(path)} bs=${block} skip=${from} count=${blocks}`,
  digestFiles: (folder: string, paths: readonly string[]) =>
    `cd ${quote(folder)} && sha256sum ${words(paths)} 2>/dev/null; true`,
  /** Files at some paths and below them. The paths may be links, which toybox follows only when told. */
  describeFiles: (paths: readonly string[]) =>
    `find -H ${words(paths)} -type f -exec stat -c '%s %u %g %a %C %n' '{}' + 2>/dev/null; true`,
  /** Of a folder itself, without those below it. */
  datedFilesIn: (path: string) =>
    `find -H ${quote(path)} -maxdepth 1 -type f -exec stat -c '%s %Y %n' '{}' + 2>/dev/null; true`,
  datedFiles: (paths: readonly string[]) =>
    `find -H ${words(paths)} -type f -exec stat -c '%s %Y %n' '{}' + 2>/dev/null; true`,
  dates: (paths: readonly string[]) => `stat -c '%s %Y %n' ${words(paths)} 2>/dev/null; true`,
  owners: (folder: string, paths: readonly string[]) =>
    `cd ${quote(folder)} && stat -c '%u %g %a %C %F|%n' ${words(paths)} 2>/dev/null; true`,
  types: (folder: string, names: readonly string[]) =>
    `cd ${quote(folder)} && stat -c '%F %n' ${words(names.map((name) => `./${name}`))} 2>/dev/null; true`,
  /** Those of some folders that are there, and in them what an exchange has begun. */
  standing: (folders: readonly string[]) =>
    `stat -c '%n' ${folders.map((path) => `${quote(path)} ${quote(path)}/.keen-larder-*`).join(' ')} 2>/dev/null; true`,
  typeAndSize: (path: string) => `stat -c '%F|%s' ${quote(path)} 2>/dev/null; true`,

  allPackages: () => 'dumpsys package packages',
  /** Also of those that were removed for the owner, whose programs stay (AOSP PackageManagerShellCommand, `-u`). */
  packagePaths: (user: number) => `pm list packages -f -u --user ${user}`,
  /** The user's own processes are of `u10_a61`, say. */
  processes: () => 'ps -A -o USER,NAME',
  users: () => 'dumpsys user',
  startUser: (user: number) => `am start-user ${user}`,
  keysOfHardware: (folder: string) => `ls ${quote(folder)}`,
  /** In POSIX's format, since busybox breaks lines otherwise. */
  freeSpace: () => 'df -k -P /data',
  /** Its data and what it keeps beside it, without programs and shared storage (AOSP, frameworks/base, cmds/bu). */
  backUp: (packages: readonly string[]) =>
    `bu backup -noapk -obb -noshared ${packages.map(nameOf).join(' ')}`,
  takeBackup: () => 'bu restore',
  stopApp: (name: string, user: number) => `am force-stop --user ${user} ${nameOf(name)}`,
  describePackage: (name: string) => `dumpsys package ${nameOf(name)}`,
  /** That a store owns updates is an option since Android 14 (AOSP, PackageManagerShellCommand). */
  beginInstall: (bytes: number, user: number, { installer, ownsUpdates, mayDowngrade }: InstallHow) =>
    [
      `pm install-create --user ${user} -r${mayDowngrade ? ' -d' : ''}${installer ? ` -i ${nameOf(installer)}` : ''}`,
      ...(ownsUpdates ? ['--update-ownership'] : []),
      `-S ${bytes}`,
    ].join(' '),
  writeInstall: (session: string, name: string, bytes: number) =>
    `pm install-write -S ${bytes} ${nameOf(session)} ${quote(name)} -`,
  /** Of a file on the phone itself. */
  writeInstallFrom: (session: string, name: string, bytes: number, path: string) =>
    `pm install-write -S ${bytes} ${nameOf(session)} ${quote(name)} - <${quote(path)}`,
  waitingPrograms: () => `cd ${waitingFolder} 2>/dev/null && stat -c '%s %n' */*.apk 2>/dev/null; true`,
  waitingGrants: (name: string) => `cat ${waitingFolder}/${nameOf(name)}/grants 2>/dev/null; true`,
  removeWaiting: (name: string) => `rm -rf ${waitingFolder}/${nameOf(name)}`,
  commitInstall: (session: string) => `pm install-commit ${nameOf(session)}`,
  abandonInstall: (session: string) => `pm install-abandon ${nameOf(session)}`,
  uninstall: (name: string, user: number) => `pm uninstall --user ${user} ${nameOf(name)}`,
  /**
   * For all users: of an app that came with the system what it came as stays (AOSP, PackageManagerShellCommand.runUninstall), of one that
   * was removed with its data kept not even that (from memory).
   */
  uninstallForAll: (name: string) => `pm uninstall ${nameOf(name)}`,
  bringBack: (name: string, user: number) => `cmd package install-existing --user ${user} ${nameOf(name)}`,
  enable: (name: string, user: number) => `pm enable --user ${user} ${nameOf(name)}`,
  disable: (name: string, user: number) => `pm disable-user --user ${user} ${nameOf(name)}`,
  grant: (name: string, permission: string, user: number) =>
    `pm grant --user ${user} ${nameOf(name)} ${nameOf(permission)}`,
  revoke: (name: string, permission: string, user: number) =>
    `pm revoke --user ${user} ${nameOf(name)} ${nameOf(permission)}`,
  /** What ties an app to its phone (AOSP, the shells of the services that have it). */
  /** Of several apps in one go, each behind a line with its name. */
  appOps: (names: readonly string[], user: number) => ofEach(names, `cmd appops get --user ${user} "$each"`),
  setAppOp: (name: string, op: string, mode: string, user: number) =>
    `cmd appops set --user ${user} ${nameOf(name)} ${nameOf(op)} ${nameOf(mode)}`,
  appLanguages: (names: readonly string[], user: number) =>
    ofEach(names, `cmd locale get-app-locales "$each" --user ${user}`),
  setAppLanguages: (name: string, tags: string, user: number) =>
    `cmd locale set-app-locales ${nameOf(name)} --user ${user} --locales ${quote(tags)}`,
  secureSetting: (name: string, user: number) => `settings --user ${user} get secure ${nameOf(name)}`,
  setSecureSetting: (name: string, value: string, user: number) =>
    `settings --user ${user} put secure ${nameOf(name)} ${quote(value)}`,
  allowListener: (component: string, user: number) =>
    `cmd notification allow_listener ${quote(component)} ${user}`,
  disallowListener: (component: string, user: number) =>
    `cmd notification disallow_listener ${quote(component)} ${user}`,
  sparedApps: () => 'cmd deviceidle whitelist',
  spareApp: (name: string) => `cmd deviceidle whitelist +${nameOf(name)}`,
  giveRole: (role: string, name: string, user: number) =>
    `cmd role add-role-holder --user ${user} android.app.role.${nameOf(role)} ${nameOf(name)}`,
  setDialer: (name: string) => `telecom set-default-dialer ${nameOf(name)}`,
  writeShared: (path: string) => `cat >${quote(path)}`,
  /** AOSP, cmds/am. */
  openFile: (path: string, mediaType: string) =>
    `am start -a android.intent.action.VIEW -d ${quote(`file://${path}`)} -t ${quote(mediaType)}`,
  /** A line or more for each of its rows (AOSP, cmds/content). */
  queryProvider: ({ uri, columns }: ProviderQuestion) =>
    `content query --uri ${quote(uri)} --projection ${columns.join(':')}`,
} satisfies Record<string, (...args: never[]) => string>;

/** Runs a command for each of some packages, named `$each` in it. */
function ofEach(names: readonly string[], command: string): string {
  const list = names.map(nameOf).join(' ');
  return `for each in ${list}; do echo "package $each"; ${command} 2>/dev/null || echo refused; done`;
}

/** Where an archive leaves programs; `update-binary.sh` has it as well. */
export const waitingFolder = '/data/local/tmp/keen-larder/programs';

/** What the kernel has in memory is what was read before; the flash itself is to be asked. */
function flush(node: string): string {
  return `blockdev --flushbufs ${quote(node)}`;
}

/** The largest block that divides both where to start and how much to read. */
function smallBlock(offset: number, bytes: number): number {
  let block = blockBytes;
  while (block > 1 && (offset % block !== 0 || bytes % block !== 0)) block /= 2;
  return block;
}

/** The input of `digestRanges`, which says where it ends. */
export const rangesScript = (node: string, ranges: readonly ByteRange[]): string =>
  [...readsOf(node, ranges), 'exit'].map((line) => `${line}\n`).join('');

/** For a shell: prints a digest for each piece of a range, in their order; of what cannot be read, that of less. */
export const piecesScript = (by: DigestName, node: string, range: ByteRange, pieceBytes: number): string => {
  const blocks = pieceBytes / pieceBlockBytes;
  const lines: string[] = [];
  for (let at = range.offset; at < range.offset + range.bytes; at += pieceBytes) {
    const dd = `dd if=${quote(node)} bs=${pieceBlockBytes} skip=${at / pieceBlockBytes} count=${blocks}`;
    lines.push(`${dd} 2>/dev/null | ${by}sum\n`);
  }
  return `${lines.join('')}exit\n`;
};

/** What has `dd` read ranges of a node, in the largest blocks that fit each. */
function readsOf(node: string, ranges: readonly ByteRange[]): string[] {
  const dd = (block: number, from: number, blocks: number) =>
    `dd if=${quote(node)} bs=${block} skip=${from / block} count=${blocks}`;
  const part = (from: number, length: number) => {
    const block = smallBlock(from, length);
    return length > 0 ? [dd(block, from, length / block)] : [];
  };
  return ranges.flatMap(({ offset, bytes }) => {
    // Most of it in blocks that fit into one adb payload.
    const lead = Math.min(bytes, Math.ceil(offset / framedBlockBytes) * framedBlockBytes - offset);
    const framed = Math.floor((bytes - lead) / framedBlockBytes);
    if (framed < 2) return part(offset, bytes);
    const framedBytes = framed * framedBlockBytes;
    return [
      ...part(offset, lead),
      dd(framedBlockBytes, offset + lead, framed),
      ...part(offset + lead + framedBytes, bytes - lead - framedBytes),
    ];
  });
}
