// `npm run build`: the interface and the worker threads.
import { build } from './prepare.mjs';

await build();
