// `npm run demo`: everything a fresh clone needs, then the demo.
import { launch } from './launch.mjs';

launch('demo/main.ts');
