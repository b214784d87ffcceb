// Files as user data has them, and as nobody expects them: made by the kernel's own file system, on a loop device.
import { createHash } from 'node:crypto';
import { execFileSync, spawnSync } from 'node:child_process';
import {
  chmodSync,
  chownSync,
  lchownSync,
  linkSync,
  lstatSync,
  lutimesSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  readlinkSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { createServer } from 'node:net';
import { dirname, join } from 'node:path';
import { isLong } from '../effort.ts';

/** Has something done with a file system mounted; the file that it lies in is used by nobody else meanwhile. */
export async function mounted<T>(image: string, work: (root: string) => T | Promise<T>): Promise<T> {
  const shared = `${image}.mounted`;
  const root = join(shared, 'root');
  mkdirSync(shared, { recursive: true });
  // Whoever copies the mounts of this computer meanwhile, as phones do, must let go of it as well.
  execFileSync('mount', ['--bind', '--make-shared', shared, shared]);
  mkdirSync(root, { recursive: true });
  execFileSync('mount', ['-o', 'loop', image, root]);
  try {
    return await work(root);
  } finally {
    execFileSync('umount', [root]);
    execFileSync('umount', [shared]);
  }
}

const label = (uid: number) => `u:object_r:app_data_file:s0:c${uid & 255},c256`;

const pieces = isLong ? 4600 : 100;

/** @param count files, about; their names, owners, modes, sizes and times differ */
export async function layOddFiles(root: string, count: number): Promise<void> {
  const put = (path: string, bytes: Buffer | string, uid: number, mode: number, at = 1_767_600_000) => {
    const full = join(root, path);
    mkdirSync(dirname(full), { recursive: true });
    writeFileSync(full, bytes);
    chownSync(full, uid, uid);
    chmodSync(full, mode);
    lutimesSync(full, at, at);
  };
  const app = (name: string) => `data/${name}`;
  for (let i = 0; i < count; i++) {
    const uid = 10_000 + (i % 50);
    const folder = `${app(`example.app${i % 50}`)}/files/${i % 7 === 0 ? `deep ${i}/${'very long folder name '.repeat(5)}` : ''}`;
    const name = [
      `file-${i}.db`,
      `with space ${i}`,
      `with'quote ${i}`,
      `ünïcode-${i} 漢字`,
      `-dash${i}`,
      `semi;colon$HOME${i}`,
    ][i % 6]!;
    put(
      `${folder}/${name}`,
      Buffer.alloc((i * 37) % 9000, `${i} `),
      uid,
      i % 11 === 0 ? 0 : 0o660,
      1_600_000_000 + i,
    );
  }
  // Holes between them, so that what is in use lies in thousands of places.
  for (let i = 0; i < pieces; i++) put(`pieces/${i}`, Buffer.alloc(4096, `${i}`), 1000, 0o600);
  execFileSync('sync', ['-f', root]);
  for (let i = 0; i < pieces; i += 2) rmSync(join(root, `pieces/${i}`));
  const odd = app('example.app1/files');
  put(`${odd}/${'n'.repeat(200)}`, 'a name of 200 bytes', 10_001, 0o600);
  linkSync(join(root, odd, 'n'.repeat(200)), join(root, odd, 'hard link'));
  symlinkSync('/data/app/~~c3VwZXI=/example.app1-b2Rk==/lib/arm64', join(root, app('example.app1'), 'lib'));
  symlinkSync(`${'../long/'.repeat(20)}target`, join(root, odd, 'long link'));
  lchownSync(join(root, app('example.app1'), 'lib'), 10_001, 10_001);
  put('system/packages.xml', '<packages/>', 1000, 0o640);
  put('media/0/DCIM/photo.jpg', Buffer.alloc(50_000, 'photo'), 1023, 0o664);
  execFileSync('mkfifo', [join(root, 'system', 'a pipe')]);
  await new Promise<void>((resolve, reject) => {
    const server = createServer().once('error', reject);
    // Its name must be short: a socket's path has 108 bytes.
    const cwd = process.cwd();
    process.chdir(join(root, 'system'));
    server.listen('ndebugsocket', () => {
      process.chdir(cwd);
      // Closing would take it away.
      execFileSync('cp', ['-a', join(root, 'system/ndebugsocket'), join(root, 'system/socket')]);
      server.close(() => resolve());
    });
  });
  const byOwner = new Map<number, string[]>();
  for (const path of walk(root)) {
    const { uid, isLink } = factsOf(join(root, path));
    if (!isLink) byOwner.set(uid, [...(byOwner.get(uid) ?? []), join(root, path)]);
  }
  for (const [uid, paths] of byOwner)
    execFileSync('setfattr', [
      '-n',
      'security.selinux',
      '-v',
      `0x${Buffer.from(`${label(uid)}\0`).toString('hex')}`,
      ...paths,
    ]);
}

function* walk(root: string, at = ''): Generator<string> {
  for (const name of readdirSync(join(root, at)).sort()) {
    const path = at === '' ? name : `${at}/${name}`;
    if (path === 'lost+found') continue;
    yield path;
    if (lstatSync(join(root, path)).isDirectory()) yield* walk(root, path);
  }
}

function factsOf(full: string) {
  const stat = lstatSync(full);
  return { uid: stat.uid, isLink: stat.isSymbolicLink(), stat };
}

/** Everything about every file, by its path, as the kernel tells it. @param leaveOut names right in the root */
export function census(root: string, leaveOut: readonly string[] = []): Map<string, string> {
  const labels = new Map(
    // It ends badly where a file has none.
    spawnSync('getfattr', ['-R', '-h', '-P', '--absolute-names', '-n', 'security.selinux', root], {
      encoding: 'utf8',
      maxBuffer: 1 << 28,
    })
      .stdout.split('\n\n')
      .flatMap((part) => {
        const [, path, value] = /^# file: (.*)\n.*?="?([^"\n]*)/.exec(part) ?? [];
        return path ? [[unescaped(path), value!.replace(/\\000$/, '')] as const] : [];
      }),
  );
  const found = new Map<string, string>();
  for (const path of walk(root)) {
    if (leaveOut.includes(path.split('/')[0]!)) continue;
    const { stat } = factsOf(join(root, path));
    const type = stat.isFile()
      ? 'file'
      : stat.isDirectory()
        ? 'folder'
        : stat.isSymbolicLink()
          ? 'link'
          : 'other';
    if (type === 'other') continue;
    const facts: unknown[] = [type, stat.uid, stat.gid];
    if (type !== 'link') facts.push(stat.mode & 0o7777, labels.get(join(root, path)));
    if (type === 'link') facts.push(readlinkSync(join(root, path)));
    if (type === 'file')
      facts.push(
        stat.nlink,
        Math.floor(stat.mtimeMs / 1000),
        createHash('sha256')
          .update(readFileSync(join(root, path)))
          .digest('hex'),
      );
    found.set(path, JSON.stringify(facts));
  }
  return found;
}

/** getfattr writes bytes that are not plain as octal numbers. */
const unescaped = (text: string) =>
  Buffer.from(
    text.replace(/\\([0-7]{3})/g, (_, digits: string) => String.fromCharCode(parseInt(digits, 8))),
    'latin1',
  ).toString();
