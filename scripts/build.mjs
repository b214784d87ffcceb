// `npm run build`: the server, the command, the worker threads and the interface.
import { build } from './prepare.mjs';

await build();
