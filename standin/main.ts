/** `npm run standins -- --home DIR --base-port N --fast`: the simulated phones alone. */
import { homedir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { startPracticeBench } from './bench.ts';

const { values } = parseArgs({
  options: {
    home: { type: 'string', default: join(homedir(), '.keen-larder', 'standins') },
    'base-port': { type: 'string', default: '0' },
    fast: { type: 'boolean', default: false },
    only: { type: 'string', multiple: true },
    trusting: { type: 'boolean', default: false },
    allow: { type: 'string', multiple: true, default: [] },
  },
});

const bench = await startPracticeBench({
  home: values.home,
  basePort: Number(values['base-port']),
  fast: values.fast,
  trusting: values.trusting,
  allow: values.allow,
  ...(values.only && { only: values.only }),
});
for (const phone of bench.phones) {
  const { serial, maker, model, adb, fastboot, loader } = phone.state();
  process.stdout.write(`${JSON.stringify({ serial, model: `${maker} ${model}`, adb, fastboot, loader })}\n`);
}
process.stdout.write(`${JSON.stringify({ control: bench.controlUrl })}\n`);
for (const signal of ['SIGINT', 'SIGTERM'] as const) {
  process.on(signal, () => void bench.close().then(() => process.exit(0)));
}
