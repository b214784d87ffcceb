/** `npm start -- --home DIR --port N --phone HOST:PORT`: the application. */
import { homedir } from 'node:os';
import { join } from 'node:path';
import { Command, InvalidArgumentError, Option } from 'commander';
import { openHome } from './disk/home.ts';
import { openLog } from './logging.ts';
import { usualServerPort } from './links/adb/server.ts';
import { openUsbBus } from './links/usb/usb-bus.ts';
import { serve, type Listening } from './serve.ts';
import { sealSecretOf } from './shelf/shelf-seal.ts';

const endsWithinMs = 4500;

/** Of an option. */
const wholeNumber = (text: string): number => {
  if (!/^\d+$/.test(text)) throw new InvalidArgumentError('It must be a whole number.');
  return Number(text);
};
const collect = (value: string, before: string[]) => [...before, value];
const nickname = (text: string, before: Record<string, string>): Record<string, string> => {
  const [serial, name] = text.split('=', 2);
  if (!serial || !name) throw new InvalidArgumentError('Write it as SERIAL=NAME.');
  return { ...before, [serial]: name };
};

interface Values {
  readonly home: string;
  readonly port: number;
  readonly phone: readonly string[];
  readonly nickname: Readonly<Record<string, string>>;
  readonly exportTo: readonly string[];
  readonly open?: boolean;
  readonly practice?: string;
  readonly listen?: string;
  readonly name: readonly string[];
  readonly certificate?: string;
  readonly certificateKey?: string;
  readonly adbPort: number;
  readonly adbServer: boolean;
  readonly usb: boolean;
  readonly pollMs?: number;
  readonly overdueMs?: number;
}

const values = new Command('npm start --')
  .description('Keen Larder for real phones: the local adb server, and phones at addresses.')
  .option(
    '--home <dir>',
    'folder of the catalogue, the shelf, logs and exports',
    join(homedir(), '.keen-larder'),
  )
  .option('--port <n>', 'port on this computer; 0 for any', wholeNumber, 4173)
  .option('--phone <host:port>', 'a phone to follow; may be given several times', collect, [])
  .option('--nickname <serial=name>', 'a name for a phone that is new', nickname, {})
  .option(
    '--adb-port <n>',
    'port of the local adb server',
    wholeNumber,
    Number(process.env['ANDROID_ADB_SERVER_PORT'] ?? usualServerPort),
  )
  .option('--export-to <dir>', 'a folder that exports may go to; may be given several times', collect, [])
  .option('--no-adb-server', 'leave the local adb server alone')
  .option('--no-usb', 'leave USB alone: no phones without an adb server, no bootloaders')
  .option('--open', 'answer everybody who uses this computer, without the key of the link')
  .option('--listen <address>', 'where other computers reach it; 0.0.0.0 for all of this one’s addresses')
  .option('--name <host>', 'a further name of this computer; may be given several times', collect, [])
  .option('--certificate <file>', 'for HTTPS, in PEM; one is made where it is left out')
  .option('--certificate-key <file>', 'its private key, in PEM')
  .addOption(new Option('--practice <url>', 'controls of simulated phones').hideHelp())
  .addOption(new Option('--poll-ms <n>').argParser(wholeNumber).hideHelp())
  .addOption(new Option('--overdue-ms <n>').argParser(wholeNumber).hideHelp())
  .parse()
  .opts<Values>();

/** @throws Error where half of it is given */
function listening(): { listen?: Listening } {
  const { listen, name, certificate, certificateKey } = values;
  if ((certificate === undefined) !== (certificateKey === undefined))
    throw new Error('A certificate and its key belong together: give --certificate and --certificate-key.');
  if (listen === undefined && certificate === undefined) return {};
  return {
    listen: {
      ...{ address: listen ?? '127.0.0.1', names: name },
      ...(certificate && certificateKey && { certificate: { certificate, key: certificateKey } }),
    },
  };
}

openHome(values.home);
const log = openLog(values.home);
// Whatever nobody foresaw goes into the log; the runs of other phones go on.
for (const event of ['unhandledRejection', 'uncaughtException'] as const)
  process.on(event, (error: unknown) =>
    log.error({ err: error as Error }, 'an error outside of any request or run'),
  );
try {
  const serving = await serve({
    home: values.home,
    port: values.port,
    addresses: values.phone,
    ...(values.adbServer && { adbServerPort: values.adbPort }),
    nicknames: values.nickname,
    log,
    isClosed: !values.open,
    surveysNew: true,
    exportFolders: values.exportTo,
    ...listening(),
    ...sealSecretOf(process.env),
    ...(values.usb && { usbBus: await openUsbBus() }),
    ...(values.practice && { practiceUrl: values.practice }),
    ...(values.pollMs !== undefined && { pollMs: values.pollMs }),
    ...(values.overdueMs !== undefined && { overdueMs: values.overdueMs }),
  });
  process.stdout.write(`Keen Larder is ready at ${serving.link}\n`);
  if (serving.certificate?.isOwn)
    process.stdout.write(
      `The certificate was made here, so a browser asks once whether to trust it. Compare its SHA-256 fingerprint: ${serving.certificate.fingerprint}\n`,
    );
  if (values.open) process.stdout.write('It is open to everybody who uses this computer.\n');
  for (const signal of ['SIGINT', 'SIGTERM'] as const) {
    process.on(signal, () => {
      // Whatever does not end by itself is told as broken off at the next start.
      setTimeout(() => process.exit(0), endsWithinMs).unref();
      void serving.close().finally(() => process.exit(0));
    });
  }
} catch (error) {
  process.stderr.write(`${(error as Error).message}\n`);
  process.exit(1);
}
