// A phone whose commands are run by the tools that phones have: mksh and toybox or busybox, in a folder of their own with
// mounts and processes of its own, on loop devices. Shares nothing with the simulated shell; only the framing of adb.
import { execFileSync, spawn, spawnSync, type ChildProcess } from 'node:child_process';
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import { dirname, join } from 'node:path';
import { AdbConnection } from '@keen-larder/standin/adb/connection.ts';
import { shellFor, type Service } from '@keen-larder/standin/adb/services.ts';
import { compiled } from './compiled.ts';
import { Runner } from './runner.ts';
import { toyboxBinary } from './toybox.ts';

/** How a phone's shell side is made. */
export interface Personality {
  readonly mode: 'system' | 'recovery';
  readonly tools: 'toybox' | 'busybox';
  /** How one becomes root: the daemon is, by some form of `su`, or not at all. */
  readonly root: 'daemon' | 'su -c' | 'su 0' | 'none';
  /** Folder that lists partitions by name. */
  readonly byName?: string;
  /** Commands that it does not have. */
  readonly lacks?: readonly string[];
  /** Scripts in place of what no package has, by their names: `pm`, `dumpsys` and others. */
  readonly shims?: Readonly<Record<string, string>>;
  /** Its adb daemon is of a time before the framed shell. */
  readonly isOld?: boolean;
}

export interface UserlandPartition {
  readonly name: string;
  /** What lies on it, or where in a file it lies. */
  readonly bytes: Uint8Array | { readonly path: string; readonly offset: number; readonly length: number };
  /** `mmcblk0p14` or `sda3`, one after the other when left out; a whole disk, `sda`, is not listed by name. */
  readonly node?: string;
  /** Of a whole disk; 512 when left out. */
  readonly sectorBytes?: number;
}

const mksh = '/bin/mksh-static';
const busybox = '/bin/busybox';
const mke2fs = '/sbin/mke2fs';
const usualByName = '/dev/block/by-name';
const shellUid = 2000;

/** What a phone says when something here is missing to run it; undefined where nothing is. */
export function whyNotHere(): string | undefined {
  if (process.getuid?.() !== 0) return 'only root may mount and make namespaces';
  for (const path of [mksh, busybox, '/dev/loop-control'])
    if (!existsSync(path)) return `${path} is not there`;
  try {
    toyboxBinary();
    return undefined;
  } catch (error) {
    return `toybox could not be built: ${(error as Error).message}`;
  }
}

/** Makes a loop device and its node for each five words: size of a sector, where it begins, its size, file, node. */
const makeDevices = `while [ $# -gt 0 ]; do
  loop=$(losetup --find --show --sector-size "$1" --offset "$2" --sizelimit "$3" "$4") || exit 1
  mknod "$5" b 7 "\${loop#/dev/loop}" || exit 1
  echo "$loop"
  shift 5
done`;

/** Several commands at once, since a large program takes long to begin another. */
const inShell = (script: string, ...words: readonly string[]): string =>
  execFileSync('sh', ['-c', script, 'sh', ...words], { encoding: 'utf8' });

export class UserlandPhone {
  private readonly loops: string[] = [];
  private readonly root: string;
  private holder: ChildProcess | undefined;
  private initPid = 0;
  private runner: Runner | undefined;
  private readonly server: Server;
  private readonly sockets = new Set<Socket>();

  private constructor(
    private readonly folder: string,
    readonly personality: Personality,
    private readonly properties: Readonly<Record<string, string>>,
  ) {
    this.root = join(folder, 'root');
    const cable = { carry: () => undefined };
    const features = personality.isOld ? '' : ';features=shell_v2,cmd';
    const banner = `${personality.mode === 'recovery' ? 'recovery' : 'device'}::ro.product.name=knot${features}`;
    this.server = createServer({ pauseOnConnect: true }, (accepted) => {
      const { socket } = new AdbConnection(
        accepted,
        banner,
        (name) => this.serviceOf(name),
        cable,
        undefined,
      );
      this.sockets.add(socket);
      socket.once('close', () => this.sockets.delete(socket));
    });
  }

  /** @param folder an empty one, on a file system that loop devices work on */
  static async start(
    folder: string,
    personality: Personality,
    properties: Readonly<Record<string, string>>,
    partitions: readonly UserlandPartition[],
  ): Promise<UserlandPhone> {
    const phone = new UserlandPhone(folder, personality, properties);
    phone.makeRoot();
    phone.attach(partitions);
    // Whatever the umask of who makes it.
    execFileSync('chmod', ['-R', 'a+rX', phone.root]);
    await phone.hold();
    phone.runner = await Runner.start(join(folder, 'runner'), phone.wordsOf());
    if (personality.mode === 'system') phone.mountUserData();
    await new Promise<void>((resolve) => phone.server.listen(0, '127.0.0.1', resolve));
    return phone;
  }

  get address(): string {
    return `127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  /** The file that a partition's bytes lie in. */
  fileOf(partition: string): string {
    return join(this.folder, 'flash', partition);
  }

  async close(): Promise<void> {
    this.server.close();
    await this.runner?.close();
    this.holder?.kill('SIGKILL');
    if (this.holder) await new Promise((resolve) => this.holder!.once('close', resolve));
    if (this.loops.length > 0) execFileSync('losetup', ['-d', ...this.loops]);
  }

  /** Writes a file onto the phone's own file system, outside of its flash. */
  write(path: string, text: string): void {
    const full = join(this.root, path);
    writeFileSync(full, text);
    // Whatever the umask of who writes it.
    chmodSync(full, 0o644);
  }

  /** Has something done while user data is not mounted. */
  async unmounted<T>(work: () => Promise<T>): Promise<T> {
    this.outside('umount', '-D', '/data');
    try {
      return await work();
    } finally {
      if (this.personality.mode === 'system') this.mountUserData();
    }
  }

  private mountUserData(): void {
    this.outside('mount', '-t', 'ext4', '/dev/block/by-name/userdata', '/data');
    // Without root the shell sees what apps share, by a view in which all of it may be read.
    if (this.personality.root !== 'none' || !this.hasShared()) return;
    this.outside('mount', '-o', 'bind', '/data/media/0', '/sdcard');
  }

  private hasShared(): boolean {
    try {
      this.outside('chmod', '-R', 'a+rX', '/data/media/0');
      return true;
    } catch {
      return false;
    }
  }

  /** Runs one of toybox's commands as the phone's own first process would. */
  private outside(...words: string[]): void {
    const toybox = join(this.root, 'host/toybox');
    mkdirSync(dirname(toybox), { recursive: true });
    if (!existsSync(toybox)) copyFileSync(toyboxBinary(), toybox);
    const inside = ['-t', String(this.initPid), '-m', '-p', 'chroot', this.root, '/host/toybox'];
    execFileSync('nsenter', [...inside, ...words]);
  }

  /** Runs a command line as the phone's daemon does, or as root, outside of any link. */
  shell(
    script: string,
    input: Uint8Array = new Uint8Array(),
    asRoot = this.personality.root === 'daemon',
  ): { readonly stdout: Buffer; readonly stderr: string; readonly exitCode: number } {
    const [command, ...args] = this.wordsOf(asRoot);
    const { stdout, stderr, status } = spawnSync(command!, [...args, script], { input, maxBuffer: 1 << 28 });
    return { stdout, stderr: stderr.toString(), exitCode: status ?? -1 };
  }

  private makeRoot(): void {
    const { root, personality } = this;
    const bin = join(root, 'system/bin');
    for (const name of ['etc', 'system/bin', 'dev/block', 'proc', 'sys', 'data', 'tmp', 'cache', 'sdcard'])
      mkdirSync(join(root, name), { recursive: true });
    // What bionic has built in.
    const people = { root: 0, system: 1000, media_rw: 1023, shell: 2000 };
    const lines = (rest: string) =>
      Object.entries(people).map(([name, id]) => `${name}:x:${id}:${rest.replace('ID', String(id))}\n`);
    writeFileSync(join(root, 'etc/passwd'), lines('ID::/:/system/bin/sh').join(''));
    writeFileSync(join(root, 'etc/group'), lines('').join(''));
    copyFileSync(mksh, join(bin, 'sh'));
    copyFileSync(personality.tools === 'toybox' ? toyboxBinary() : busybox, join(bin, personality.tools));
    // Debian's busybox and mke2fs are not linked statically.
    for (const program of [busybox, mke2fs])
      for (const [path] of execFileSync('ldd', [program], { encoding: 'utf8' }).matchAll(/\/\S+\.so\S*/g)) {
        mkdirSync(join(root, dirname(path)), { recursive: true });
        copyFileSync(path, join(root, path));
      }
    copyFileSync(mke2fs, join(bin, 'mke2fs'));
    execFileSync('setfattr', ['-n', 'security.selinux', '-v', 'u:object_r:system_file:s0', bin]);
    const list = execFileSync(
      join(bin, personality.tools),
      personality.tools === 'toybox' ? [] : ['--list'],
      { encoding: 'utf8' },
    );
    for (const name of list.trim().split(/\s+/)) {
      const path = join(bin, name);
      if (!existsSync(path) && name !== 'sh' && !personality.lacks?.includes(name))
        symlinkSync(personality.tools, path);
    }
    const dev = join(root, 'dev');
    inShell(
      'mknod -m 666 "$1/null" c 1 3; mknod -m 666 "$1/zero" c 1 5; mknod -m 666 "$1/urandom" c 1 9',
      dev,
    );
    const said = Object.entries(this.properties);
    this.shim(
      'getprop',
      `case "$1" in\n${said.map(([key, value]) => `${key}) echo '${value}';;`).join('\n')}\n'') cat /system/properties;;\n*) echo;;\nesac`,
    );
    writeFileSync(
      join(root, 'system/properties'),
      said.map(([key, value]) => `[${key}]: [${value}]\n`).join(''),
    );
    for (const [name, script] of Object.entries(personality.shims ?? {})) this.shim(name, script);
    // toybox lets a loop device go of its file, which no phone's flash does.
    if (personality.tools === 'toybox') this.shim('umount', 'exec /system/bin/toybox umount -D "$@"');
    if (personality.root === 'su -c' || personality.root === 'su 0') {
      const su = join(bin, 'su');
      const words = personality.root === 'su 0' ? ['-DWORDS'] : [];
      // It may be a link to the tools.
      rmSync(su, { force: true });
      copyFileSync(compiled('su.c', words), su);
      chmodSync(su, 0o4755);
    }
  }

  private shim(name: string, script: string): void {
    const path = join(this.root, 'system/bin', name);
    rmSync(path, { force: true });
    writeFileSync(path, `#!/system/bin/sh\n${script}\n`, { mode: 0o755 });
  }

  private attach(partitions: readonly UserlandPartition[]): void {
    mkdirSync(join(this.folder, 'flash'), { recursive: true });
    const block = join(this.root, 'dev/block');
    const byName = join(this.root, this.personality.byName ?? usualByName);
    mkdirSync(byName, { recursive: true });
    const devices: string[] = [];
    for (const [i, each] of partitions.entries()) {
      const { name, bytes, node = `mmcblk0p${i + 1}`, sectorBytes = 512 } = each;
      const file = 'path' in bytes ? bytes.path : this.fileOf(name);
      if (!('path' in bytes)) writeFileSync(file, bytes);
      const [from, most] = 'path' in bytes ? [bytes.offset, bytes.length] : [0, 0];
      devices.push(String(sectorBytes), String(from), String(most), file, join(block, node));
      if (!/^(mmcblk\d+|sd[a-z]+)$/.test(node)) symlinkSync(`/dev/block/${node}`, join(byName, name));
    }
    this.loops.push(
      ...inShell(makeDevices, ...devices)
        .trim()
        .split('\n'),
    );
  }

  /** Something that holds the namespaces until the phone is closed. */
  private async hold(): Promise<void> {
    const script = `mount -t proc proc ${this.root}/proc && mount -t tmpfs tmpfs ${this.root}/tmp && echo ready && exec sleep infinity`;
    this.holder = spawn(
      'unshare',
      [
        // What is unmounted outside is unmounted inside as well; nothing goes the other way.
        ...['--mount', '--propagation', 'slave', '--pid', '--fork', '--kill-child'],
        ...['sh', '-c', script],
      ],
      {
        stdio: ['ignore', 'pipe', 'inherit'],
      },
    );
    await new Promise<void>((resolve, reject) => {
      this.holder!.stdout!.once('data', () => resolve());
      this.holder!.once('close', () => reject(new Error('namespaces could not be made')));
    });
    const children = readFileSync(`/proc/${this.holder.pid!}/task/${this.holder.pid!}/children`, 'utf8');
    this.initPid = Number(children.trim().split(' ')[0]);
  }

  private serviceOf(name: string): Service | undefined {
    // It comes back at once, as it was.
    if (name.startsWith('reboot:'))
      return async (stream) => {
        await stream.close();
        for (const socket of this.sockets) socket.destroy();
      };
    // What an old daemon does not know it refuses.
    return this.personality.isOld && name.startsWith('shell,') ? undefined : shellFor(name, this.runner!.run);
  }

  /** What a command line is run by. */
  private wordsOf(isRoot = this.personality.root === 'daemon'): string[] {
    const who = isRoot ? [] : [`--userspec=${shellUid}:${shellUid}`];
    return [
      ...['nsenter', '-t', String(this.initPid), '-m', '-p', 'chroot', ...who, this.root],
      ...['/system/bin/env', '-i', 'PATH=/system/bin', 'HOME=/', 'TMPDIR=/tmp', '/system/bin/sh', '-c'],
      // Whatever the umask of who asks.
      'umask 022; eval "$0"',
    ];
  }
}
