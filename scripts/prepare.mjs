// Brings a fresh clone to where it can run: dependencies, and the built interface. Plain JavaScript,
// since nothing is installed when it starts.
import { execFileSync, spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
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

/** Compiled for this machine. */
const native = ['usb', 'zstd-napi', '@napi-rs/blake-hash', 'better-sqlite3'];
/** They find files of their own, or run code that they write. */
const onTheirOwn = [
  'pino',
  'piscina',
  '@foxglove/wasm-bz2',
  'class-validator',
  'class-transformer',
  '7z-wasm',
  'pdfkit',
  's3rver',
];
/** The simulated phones and the demo, which fills a larder from them. */
const practice = {
  demo: 'demo/main.ts',
  standins: 'standin/main.ts',
  'compose-flashes': 'standin/flash/compose-main.ts',
};
const programs = { server: 'server/main.ts', larder: 'cli/main.ts' };
const workers = {
  'chunk-worker': 'server/shelf/threads/chunk-worker.ts',
  'digest-worker': 'server/shelf/threads/digest-worker.ts',
  'operations-worker': 'server/formats/firmware/operations-worker.ts',
  'seven-zip-worker': 'server/formats/unpacking/seven-zip-worker.ts',
  'untrusted-worker': 'server/untrusted/untrusted-worker.ts',
};

/**
 * Builds the server and the `larder` command where a source is newer than what was built: each as one file, which starts in a
 * fraction of the time that its sources take.
 */
export async function buildPrograms() {
  await buildShared();
  if (builtAt('server/dist/server.mjs') > newest('server', 'cli', 'core', 'contract')) return;
  await bundle(programs);
}

/** Builds the demo beside the programs: loading its sources one by one takes seconds. */
export async function buildDemo() {
  await buildShared();
  if (builtAt('server/dist/demo.mjs') > newest('demo', 'standin', 'server', 'core', 'contract')) return;
  await bundle(practice);
}

/** The worker threads, and the files that lie beside what is built. */
async function buildShared() {
  if (builtAt('server/dist/migrations') > newest('server', 'core', 'contract')) return;
  await bundle(workers);
  cpSync(join(root, 'server/larder/carry/update-binary.sh'), join(root, 'server/dist/update-binary.sh'));
  const migrations = join(root, 'server/dist/migrations');
  rmSync(migrations, { recursive: true, force: true });
  cpSync(join(root, 'server/database/migrations'), migrations, { recursive: true });
}

/** Builds a program of a benchmark beside the programs; as they are built is how they are measured. */
export const buildBenchmark = (name) => bundle({ [name]: `benchmarks/${name}.ts` });

/** What the stand-ins ship lies beside their sources, and the demo knows from its own where the project is. */
const filesStay = {
  name: 'files stay where they are',
  setup({ onLoad }) {
    onLoad({ filter: /[/\\](?:standin|demo)[/\\].*\.ts$/ }, ({ path }) => ({
      contents: readFileSync(path, 'utf8').replaceAll('import.meta.dirname', JSON.stringify(dirname(path))),
      loader: 'ts',
    }));
  },
};

/** @param entryPoints sources, by the names of what is built of them */
async function bundle(entryPoints) {
  const { build } = await import('esbuild');
  await build({
    entryPoints,
    absWorkingDir: root,
    bundle: true,
    platform: 'node',
    format: 'esm',
    outdir: 'server/dist',
    outExtension: { '.js': '.mjs' },
    external: [...native, ...onTheirOwn],
    // What packages of CommonJS ask Node for by themselves.
    banner: {
      js: "import { createRequire as requireFrom } from 'node:module'; const require = requireFrom(import.meta.url);",
    },
    sourcemap: 'linked',
    // The sources lie beside them, and Node keeps every map in memory.
    sourcesContent: false,
    logLevel: 'warning',
    plugins: [filesStay],
    alias: Object.fromEntries(
      ['core', 'contract', 'server', 'standin'].map((name) => [`@keen-larder/${name}`, `./${name}`]),
    ),
  });
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
  await buildPrograms();
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
