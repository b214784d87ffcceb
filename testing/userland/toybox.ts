// toybox as phones have it: built once from Debian's source, since Debian's package is built without `dd` and SELinux.
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { cacheFolder } from './compiled.ts';

/** What Android's configuration has and the default has not. */
const wanted = ['DD', 'GETFATTR', 'TOYBOX_SELINUX', 'CHCON', 'TOYBOX_LIBZ', 'GZIP', 'GUNZIP', 'ZCAT'];
const packages = ['gcc', 'libc6-dev', 'make', 'libselinux1-dev', 'zlib1g-dev', 'xz-utils'];

/** Where Debian's packages come from here, and its release. */
function debianSource(): { readonly uri: string; readonly suite: string } {
  const files = [
    '/etc/apt/sources.list',
    ...readdirSync('/etc/apt/sources.list.d').map((name) => `/etc/apt/sources.list.d/${name}`),
  ];
  const texts = files.filter((file) => existsSync(file)).map((file) => readFileSync(file, 'utf8'));
  for (const text of texts) {
    // The main archive, whatever else is set up beside it; its security and update suites have no source of their own.
    const line = /^deb\s+(?:\[[^\]]*\]\s+)?(\S*debian\/?)\s+(\w+)\s+.*\bmain\b/m.exec(text);
    if (line) return { uri: line[1]!, suite: line[2]! };
    for (const stanza of text.split(/\n\s*\n/)) {
      const uri = /^URIs:\s*(\S*debian\/?)\s*$/m.exec(stanza)?.[1];
      const suite = /^Suites:\s*(\w+)/m.exec(stanza)?.[1];
      if (uri && suite) return { uri, suite };
    }
  }
  throw new Error('no archive of Debian is set up');
}

/** Debian's source of toybox, unpacked. @param scratch an empty folder */
function fetchSource(scratch: string): string {
  const { uri, suite } = debianSource();
  for (const name of ['lists/partial', 'archives/partial'])
    mkdirSync(join(scratch, name), { recursive: true });
  const list = join(scratch, 'sources.list');
  writeFileSync(list, `deb-src ${uri} ${suite} main\n`);
  const options = [
    `Dir::Etc::sourcelist=${list}`,
    'Dir::Etc::sourceparts=/dev/null',
    `Dir::State::lists=${join(scratch, 'lists')}`,
    `Dir::Cache=${scratch}`,
    'APT::Sandbox::User=root',
  ].flatMap((option) => ['-o', option]);
  const apt = (...rest: string[]) =>
    execFileSync('apt-get', ['-qq', ...options, ...rest], {
      cwd: scratch,
      stdio: ['ignore', 'ignore', 'inherit'],
    });
  apt('update');
  apt('source', '--download-only', '--tar-only', 'toybox');
  const archive = readdirSync(scratch).find((name) => /^toybox_.*\.orig\.tar\./.test(name));
  if (!archive) throw new Error('Debian has no source of toybox here');
  const source = join(scratch, 'source');
  mkdirSync(source);
  execFileSync('tar', ['-xf', join(scratch, archive), '-C', source, '--strip-components=1']);
  return source;
}

/**
 * The binary, statically linked.
 * @throws Error saying what is missing where it cannot be built
 */
export function toyboxBinary(): string {
  const key = createHash('sha256').update(wanted.join(' ')).digest('hex').slice(0, 12);
  const binary = join(cacheFolder, `toybox-${key}`);
  if (existsSync(binary)) return binary;
  const scratch = mkdtempSync(join(tmpdir(), 'keen-larder-toybox-'));
  try {
    execFileSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...packages], {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    });
    const source = fetchSource(scratch);
    const make = (...rest: string[]) =>
      execFileSync('make', rest, {
        cwd: source,
        stdio: ['ignore', 'ignore', 'inherit'],
        env: { ...process.env, LDFLAGS: '--static' },
      });
    make('defconfig');
    const config = join(source, '.config');
    let text = readFileSync(config, 'utf8');
    for (const name of wanted)
      text = text.replace(new RegExp(`^# CONFIG_${name} is not set$`, 'm'), `CONFIG_${name}=y`);
    writeFileSync(config, text);
    make('toybox');
    mkdirSync(cacheFolder, { recursive: true });
    execFileSync('cp', [join(source, 'toybox'), `${binary}.new`]);
    renameSync(`${binary}.new`, binary);
    return binary;
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
}
