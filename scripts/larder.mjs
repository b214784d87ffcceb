// `npm run --silent larder -- …`: the command, built where a source is newer.
import { buildCommand, installDependencies, requireNode } from './prepare.mjs';

requireNode();
installDependencies();
buildCommand();
await import('../cli/dist/larder.mjs');
