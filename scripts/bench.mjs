// `npm run bench`, `npm run bench:cable`: everything a fresh clone needs, then the measurements.
import { launch } from './launch.mjs';
import { buildBenchmark, installDependencies, requireNode } from './prepare.mjs';

const isOfCables = process.argv[2] === 'cable';
if (isOfCables) {
  process.argv.splice(2, 1);
  requireNode();
  installDependencies();
  await buildBenchmark('cable-larder');
}
await launch(isOfCables ? 'benchmarks/cable.ts' : 'benchmarks/main.ts', { interface: false });
