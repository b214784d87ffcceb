// `npm run bench`: everything a fresh clone needs, then the measurements.
import { launch } from './launch.mjs';

await launch('benchmarks/main.ts', { interface: false });
