// `npm test`: everything a fresh clone needs, then lint, types and all tests. The last line is the sum.
import { execFileSync, spawn } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { build, installDependencies, requireNode, root } from './prepare.mjs';

/** Reference tools and the browser: the command, or a file by its path, and Debian's package that has it. */
const tools = {
  chromium: 'chromium',
  mke2fs: 'e2fsprogs',
  debugfs: 'e2fsprogs',
  sgdisk: 'gdisk',
  fdisk: 'fdisk',
  mkbootimg: 'mkbootimg',
  'mkfs.f2fs': 'f2fs-tools',
  'mkfs.erofs': 'erofs-utils',
  img2simg: 'android-sdk-libsparse-utils',
  adb: 'adb',
  fastboot: 'fastboot',
  zstd: 'zstd',
  lz4: 'lz4',
  bzip2: 'bzip2',
  xz: 'xz-utils',
  brotli: 'brotli',
  mformat: 'mtools',
  dtc: 'device-tree-compiler',
  mksquashfs: 'squashfs-tools',
  readelf: 'binutils',
  veritysetup: 'cryptsetup-bin',
  b3sum: 'b3sum',
  age: 'age',
  sqlite3: 'sqlite3',
  '/usr/lib/python3/dist-packages/cryptography/__init__.py': 'python3-cryptography',
  busybox: 'busybox',
  '/bin/mksh-static': 'mksh',
  setfattr: 'attr',
  cc: 'build-essential',
  zip: 'zip',
  unzip: 'unzip',
  aapt: 'aapt',
  pdftotext: 'poppler-utils',
  apksigner: 'apksigner',
  dexdump: 'dexdump',
  '/usr/share/android-framework-res/framework-res.apk': 'android-framework-res',
};

const path = `${process.env.PATH}:/usr/sbin:/sbin`;
const missing = () =>
  Object.keys(tools).filter((tool) =>
    tool.startsWith('/')
      ? !existsSync(tool)
      : !path.split(':').some((folder) => existsSync(join(folder, tool))),
  );

function installTools() {
  const packages = [...new Set(missing().map((tool) => tools[tool]))];
  if (packages.length === 0) return;
  if (process.getuid?.() !== 0 || !path.split(':').some((folder) => existsSync(join(folder, 'apt-get')))) {
    process.stderr.write(
      `The tests need ${missing().join(', ')}, which are not here. Install Debian's packages: apt-get install ${packages.join(' ')}\n`,
    );
    process.exit(1);
  }
  process.stdout.write(`Installing ${packages.join(', ')} for the tests…\n`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  execFileSync('apt-get', ['update', '-qq'], { stdio: 'ignore', env });
  execFileSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...packages], {
    stdio: ['ignore', 'ignore', 'inherit'],
    env,
  });
}

const usage = `npm test: everything a fresh clone needs, then lint, types and all tests.

  --help   says this
`;
const [option] = process.argv.slice(2);
if (option) {
  const isQuestion = option === '--help' || option === '-h';
  process[isQuestion ? 'stdout' : 'stderr'].write(
    isQuestion ? usage : `npm test takes no ${option}; see npm test -- --help.\n`,
  );
  process.exit(isQuestion ? 0 : 2);
}

requireNode();
installTools();
installDependencies();
await build();

let passed = 0;
let failed = 0;
let skipped = 0;
/** What failed, told once more at the end, where it is seen. */
const failures = [];
const scratch = mkdtempSync(join(existsSync('/dev/shm') ? '/dev/shm' : tmpdir(), 'keen-larder-npm-test-'));
const env = { ...process.env, PATH: path, TMPDIR: scratch };

/**
 * A step that is not made of tests, and counts as one that failed when it fails. It goes beside the tests, which wait
 * for phones half of their time.
 */
async function step(script) {
  const child = spawn('npm', ['run', '--silent', script], {
    cwd: root,
    stdio: ['ignore', 'pipe', 'pipe'],
    env,
  });
  const said = [];
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (part) => said.push(part));
  const [status] = await once(child, 'close');
  return { script, status, said: Buffer.concat(said).toString() };
}

/** @param {{ numFailedTests: number, testResults?: object[] }} result what Vitest's JSON reporter wrote */
function failuresOf(result) {
  return (result.testResults ?? []).flatMap((file) => {
    const where = relative(root, file.name);
    const tests = file.assertionResults.filter(({ status }) => status === 'failed');
    if (tests.length === 0) return file.status === 'failed' ? [`${where}\n${file.message}`] : [];
    return tests.map(
      ({ fullName, failureMessages }) => `${where}: ${fullName}\n${failureMessages.join('\n')}`,
    );
  });
}

async function tests() {
  process.stdout.write('\n— tests\n');
  const report = join(scratch, 'report.json');
  const reporters = ['--reporter=default', '--reporter=json', `--outputFile=${report}`];
  const child = spawn('npx', ['vitest', 'run', ...reporters], { cwd: root, stdio: 'inherit', env });
  const [status] = await once(child, 'close');
  const result = existsSync(report)
    ? JSON.parse(readFileSync(report, 'utf8'))
    : { numPassedTests: 0, numFailedTests: 0 };
  passed += result.numPassedTests;
  failed += result.numFailedTests;
  skipped += result.numPendingTests ?? 0;
  failures.push(...failuresOf(result));
  // A file that cannot be loaded, or an error outside of any test, has no failed test of its own.
  if (status !== 0 && result.numFailedTests === 0) {
    failed++;
    failures.push('an error outside of any test');
  }
}

try {
  const [lint, types] = await Promise.all([step('lint'), step('types'), tests()]);
  for (const { script, status, said } of [lint, types]) {
    process.stdout.write(`\n— ${script}\n${said}`);
    if (status === 0) continue;
    failed++;
    failures.push(script);
  }
} finally {
  rmSync(scratch, { recursive: true, force: true });
}
for (const failure of failures) process.stdout.write(`\nfailed: ${failure.slice(0, 3000)}\n`);
process.stdout.write(
  `\ntests: ${passed} passed, ${failed} failed${skipped > 0 ? `, ${skipped} skipped` : ''}\n`,
);
process.exit(failed > 0 || passed === 0 ? 1 : 0);
