// Brings a fresh clone to where it can run: dependencies, and the built interface. Plain JavaScript,
// since nothing is installed when it starts.
import { execFileSync, spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { cpSync, existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = join(dirname(fileURLToPath(import.meta.url)), '..');

/** Ends with a clear message on a Node that is too old. */
export function requireNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19)) {
    process.stderr.write(`Keen Larder needs Node 20.19 or newer; this is ${process.versions.node}.\n`);
    process.exit(1);
  }
}

/** Installs the dependencies when they are not there as the lock file names them. */
export function installDependencies() {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  const stamp = join(root, 'node_modules', '.keen-larder-lock');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return;
  process.stdout.write('Installing dependencies (better-sqlite3 is compiled; this takes a few minutes)…\n');
  run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
  mkdirSync(dirname(stamp), { recursive: true });
  writeFileSync(stamp, lock);
}

const newest = (...folders) => Math.max(...folders.map((folder) => newestIn(join(root, folder))));
const builtAt = (path) => (existsSync(join(root, path)) ? statSync(join(root, path)).mtimeMs : 0);

/** As one file for Node; what is compiled for this machine, or finds its files by itself, stays outside. */
const bundle = (entries, outdir, ...options) =>
  run('npx', [
    ...['esbuild', ...entries, '--bundle', '--platform=node', '--format=esm', '--out-extension:.js=.mjs'],
    ...[`--outdir=${outdir}`, '--log-level=warning', ...options],
  ]);
const workers = [
  'server/shelf/threads/chunk-worker.ts',
  'server/shelf/threads/digest-worker.ts',
  'server/untrusted/untrusted-worker.ts',
];
const natives = [
  ...['zstd-napi', '@napi-rs/blake-hash', 'better-sqlite3'].map((name) => `--external:${name}`),
  // Where they come from is told apart no further.
  '--entry-names=[name]',
  '--alias:@keen-larder/core=./core',
];

/** Builds the worker threads where a source is newer than what was built. */
export function buildWorkers() {
  if (builtAt('server/dist/untrusted-worker.mjs') > newest('server/shelf', 'server/untrusted', 'core'))
    return;
  bundle(workers, 'server/dist', ...natives);
}

/** Builds the `larder` command, which starts in a fraction of the time that its sources take. */
export function buildCommand() {
  if (builtAt('cli/dist/larder.mjs') > newest('cli', 'server', 'core', 'contract')) return;
  bundle(workers, 'cli/dist', ...natives);
  bundle(
    ['larder=cli/main.ts'],
    'cli/dist',
    '--packages=external',
    '--alias:@keen-larder/core=./core',
    '--alias:@keen-larder/contract=./contract',
    '--alias:@keen-larder/server=./server',
  );
  cpSync(join(root, 'server/database/migrations'), join(root, 'cli/dist/migrations'), { recursive: true });
}

/** Builds the interface where a source is newer than what was built, beside whatever else goes on. */
export async function buildInterface() {
  if (builtAt('web/dist/index.html') > newest('web', 'core', 'contract')) return;
  process.stdout.write('Building the interface…\n');
  const args = ['vite', 'build', 'web', '--config', 'web/vite.config.ts', '--logLevel', 'warn'];
  const child = spawn('npx', args, { cwd: root, stdio: 'inherit' });
  const code = await new Promise((resolve, reject) => child.once('error', reject).once('exit', resolve));
  if (code !== 0) throw new Error(`the interface could not be built: \`npx ${args.join(' ')}\` failed.`);
}

/** Builds everything that is built. */
export async function build() {
  buildWorkers();
  buildCommand();
  await buildInterface();
}

/** Runs a command in the project's folder; ends with its exit code when it fails. */
export function run(command, args, env = {}) {
  try {
    execFileSync(command, args, { cwd: root, stdio: 'inherit', env: { ...process.env, ...env } });
  } catch (error) {
    process.stderr.write(`\`${command} ${args.join(' ')}\` failed.\n`);
    process.exit(error.status || 1);
  }
}

function newestIn(folder) {
  let newest = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (entry.name === 'node_modules' || entry.name === 'dist') continue;
    const path = join(folder, entry.name);
    newest = Math.max(newest, entry.isDirectory() ? newestIn(path) : statSync(path).mtimeMs);
  }
  return newest;
}
