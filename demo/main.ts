/**
 * The demo: simulated phones, a larder with months of history, and the application.
 * `--home DIR --port N --fresh --fast`; started by `npm run demo`.
 */
import { execFile } from 'node:child_process';
import { existsSync } from 'node:fs';
import { rename, rm } from 'node:fs/promises';
import { constants, homedir, setPriority } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { Command } from 'commander';
import { endAll, startProgram } from './children.ts';
import { addressesOf, startStandins, type Standins } from './standins.ts';

const values = new Command('npm run demo --')
  .description('Simulated phones, a larder with months of history, and the application.')
  .option('--home <dir>', 'folder of the demo', join(homedir(), '.keen-larder-demo'))
  .option('--port <n>', 'port on this computer', '4173')
  .option('--fresh', 'start from nothing')
  .option('--fast', 'cables that carry as much as they can, and quick starts')
  .parse()
  .opts<{ home: string; port: string; fresh?: true; fast?: true }>();
const larderHome = join(values.home, 'larder');
const standinHome = join(values.home, 'phones');
const bucketHome = join(values.home, 'bucket');
const root = join(import.meta.dirname, '..');
const server = join(root, 'server', 'dist', 'server.mjs');

for (const signal of ['SIGINT', 'SIGTERM'] as const) {
  process.on(signal, () => void endAll().then(() => process.exit(0)));
}

try {
  if (values.fresh) await rm(larderHome, { recursive: true, force: true });
  const isNew = !existsSync(larderHome);
  if (isNew) for (const each of [bucketHome, standinHome]) await rm(each, { recursive: true, force: true });
  const told = (done: number, of: number, what: string) =>
    process.stdout.write(`  ${String(done).padStart(2)} of ${of}: ${what}\n`);
  if (isNew)
    process.stdout.write('Filling the demo larder by imaging the simulated phones; their flashes first…\n');
  // While they are made, what fills the larder is loaded, and the interface is built; a failure is told when it is waited for.
  const first = isNew ? startStandins(standinHome, true, ['--trusting']) : undefined;
  first?.catch(() => undefined);
  const built = promisify(execFile)(process.execPath, [join(root, 'scripts', 'build.mjs')]);
  // It has time until the larder is filled.
  if (isNew && built.child.pid) setPriority(built.child.pid, constants.priority.PRIORITY_LOW);
  built.catch(() => undefined);
  const { adbKeyOf, demoPassphrase, makeHistory, readOffsiteFile, recipes, startBucket, writeOffsiteFile } =
    await import('./filling.ts');
  const nicknames = Object.fromEntries(recipes.map(({ serial, nickname }) => [serial, nickname]));
  const bucket = await startBucket(bucketHome);
  let starting: Promise<Standins> | undefined;
  if (first) {
    const home = `${larderHome}.part`;
    await rm(home, { recursive: true, force: true });
    await makeHistory({
      ...{ home, nicknames, bucket, told },
      standins: await first,
      onPhonesDone() {
        // A larder that is new has been let in by its phones; later they are asked as any phone is.
        starting = adbKeyOf(home).then(({ publicLine }) =>
          startStandins(standinHome, values.fast ?? false, ['--allow', publicLine]),
        );
        starting.catch(() => undefined);
      },
    });
    await rename(home, larderHome);
  }
  // The service has another port each time.
  const offsite = readOffsiteFile(larderHome, 'bucket');
  if (offsite)
    await writeOffsiteFile(larderHome, 'bucket', {
      ...offsite,
      place: { ...offsite.place, endpoint: bucket.place.endpoint },
    });
  process.stdout.write(`The copy off-site opens with “${demoPassphrase}”.\n`);
  const [standins] = await Promise.all([starting ?? startStandins(standinHome, values.fast ?? false), built]);
  const child = startProgram(
    server,
    [
      ...['--home', larderHome, '--port', values.port, '--practice', standins.controlUrl],
      ...['--no-adb-server', '--open'],
      ...standins.phones.flatMap((phone) => addressesOf(phone).flatMap((address) => ['--phone', address])),
      ...Object.entries(nicknames).flatMap(([serial, nickname]) => ['--nickname', `${serial}=${nickname}`]),
      ...(values.fast ? ['--poll-ms', '150', '--overdue-ms', '8000'] : ['--overdue-ms', '40000']),
    ],
    (line) => process.stdout.write(`${line}\n`),
  );
  child.once('exit', (code) => void endAll().then(() => process.exit(code ?? 1)));
} catch (error) {
  process.stderr.write(`The demo cannot start: ${(error as Error).message}\n`);
  await endAll();
  process.exit(1);
}
