/** Composes one flash in a process of its own: `PATH MODEL SYSTEM`. */
import type { SystemBuild } from '../firmware/builds.ts';
import { models } from '../models.ts';
import { composeFlash } from './compose.ts';

const [path, model, system] = process.argv.slice(2) as [string, keyof typeof models, SystemBuild];
await composeFlash(path, models[model], system);
