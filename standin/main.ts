/** `npm run standins`: the simulated phones alone. */
import { homedir } from 'node:os';
import { join } from 'node:path';
import { Command, InvalidArgumentError } from 'commander';
import { startPracticeBench } from './bench.ts';

/** Of an option. */
const port = (text: string): number => {
  if (!/^\d{1,5}$/.test(text) || Number(text) > 65_000) throw new InvalidArgumentError('It must be a port.');
  return Number(text);
};
const collect = (value: string, before: readonly string[] = []) => [...before, value];

interface Values {
  readonly home: string;
  readonly basePort: number;
  readonly fast?: true;
  readonly only?: readonly string[];
  readonly trusting?: true;
  readonly allow?: readonly string[];
}

const values = new Command('npm run standins --')
  .description('The simulated phones alone; one line of JSON for each, and one for their controls.')
  .option('--home <dir>', 'folder of their flash', join(homedir(), '.keen-larder', 'standins'))
  .option('--base-port <n>', 'first port, three for each phone; 0 for any', port, 0)
  .option('--fast', 'cables that carry as much as they can, and quick starts')
  .option('--only <serial>', 'this phone alone; may be given several times', collect)
  .option('--trusting', 'somebody stands by and allows each computer that asks')
  .option('--allow <key>', 'a computer that is let in from the start; may be given several times', collect)
  .parse()
  .opts<Values>();

const ending = new AbortController();
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => ending.abort());

const bench = await startPracticeBench({ fast: false, ...values });
for (const phone of bench.phones) {
  const { serial, maker, model, adb, fastboot, loader } = phone.state();
  process.stdout.write(`${JSON.stringify({ serial, model: `${maker} ${model}`, adb, fastboot, loader })}\n`);
}
process.stdout.write(`${JSON.stringify({ control: bench.controlUrl })}\n`);

// Told while they start, they end once they have.
const end = () => void bench.close().then(() => process.exit(0));
if (ending.signal.aborted) end();
else ending.signal.addEventListener('abort', end, { once: true });
