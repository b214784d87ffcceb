// `npm run demo`: everything a fresh clone needs, then the demo.
import { launch } from './launch.mjs';

await launch('server/dist/demo.mjs', { interface: false, demo: true });
