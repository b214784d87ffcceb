// `npm start`: everything a fresh clone needs, then the application for real phones.
import { launch } from './launch.mjs';

await launch('server/dist/server.mjs');
