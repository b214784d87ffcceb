// `npm run bench`, `npm run bench:cable`, `npm run bench:shelf`: everything a fresh clone needs, then the measurements.
import { launch } from './launch.mjs';
import { buildBenchmark, installDependencies, requireNode } from './prepare.mjs';

/** What is measured as it is built, by what it is called, and what measures it. */
const asBuilt = {
  cable: { built: 'cable-larder', runs: 'benchmarks/cable.ts' },
  shelf: { built: 'shelf', runs: 'server/dist/shelf.mjs' },
};
const found = asBuilt[process.argv[2]];
if (found) {
  process.argv.splice(2, 1);
  requireNode();
  installDependencies();
  await buildBenchmark(found.built);
}
await launch(found?.runs ?? 'benchmarks/main.ts', { interface: false });
