// `npm run --silent larder -- …`: the command, built where a source is newer.
import { buildPrograms, installDependencies, requireNode } from './prepare.mjs';

requireNode();
installDependencies();
await buildPrograms();
await import('../server/dist/larder.mjs');
