/**
 * The demo: simulated phones, a larder with months of history, and the application.
 * `--home DIR --port N --fresh --fast`; started by `npm run demo`.
 */
import { existsSync } from 'node:fs';
import { rename, rm } from 'node:fs/promises';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { Command } from 'commander';
import { buildInterface } from '../scripts/prepare.mjs';
import { adbKeyOf } from '@keen-larder/server/links/adb/key.ts';
import { recipes } from '@keen-larder/standin/scenario/phones.ts';
import { endAll, startProgram } from './children.ts';
import { readOffsiteFile, writeOffsiteFile } from '@keen-larder/server/offsite/offsite-file.ts';
import { startBucket } from '@keen-larder/standin/bucket.ts';
import { demoPassphrase, makeHistory } from './history.ts';
import { addressesOf, startStandins } from './standins.ts';

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
const nicknames = Object.fromEntries(recipes.map(({ serial, nickname }) => [serial, nickname]));
const server = join(import.meta.dirname, '..', 'server', 'dist', 'server.mjs');

for (const signal of ['SIGINT', 'SIGTERM'] as const) {
  process.on(signal, () => void endAll().then(() => process.exit(0)));
}

try {
  if (values.fresh) {
    await rm(larderHome, { recursive: true, force: true });
    await rm(standinHome, { recursive: true, force: true });
  }
  if (!existsSync(larderHome)) await rm(bucketHome, { recursive: true, force: true });
  const bucket = await startBucket(bucketHome);
  // Built while the phones are imaged; a failure is told when it is waited for.
  const built = buildInterface();
  built.catch(() => undefined);
  // A larder that is new has been let in by its phones; later they are asked as any phone is.
  let options: string[] = [];
  if (!existsSync(larderHome)) {
    process.stdout.write('Filling the demo larder by imaging the simulated phones…\n');
    const unfinished = `${larderHome}.part`;
    await rm(unfinished, { recursive: true, force: true });
    await rm(standinHome, { recursive: true, force: true });
    await makeHistory(unfinished, standinHome, nicknames, bucket, (done, of, what) => {
      process.stdout.write(`  ${String(done).padStart(2)} of ${of}: ${what}\n`);
    });
    await rename(unfinished, larderHome);
    options = ['--allow', (await adbKeyOf(larderHome)).publicLine];
  }
  // The service has another port each time.
  const offsite = readOffsiteFile(larderHome, 'bucket');
  if (offsite)
    await writeOffsiteFile(larderHome, 'bucket', {
      ...offsite,
      place: { ...offsite.place, endpoint: bucket.place.endpoint },
    });
  process.stdout.write(`The copy off-site opens with “${demoPassphrase}”.\n`);
  const [standins] = await Promise.all([startStandins(standinHome, values.fast ?? false, options), built]);
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
