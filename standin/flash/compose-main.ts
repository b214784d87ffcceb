/** Composes flashes in a process of its own, one after the other: `PATH MODEL SYSTEM`, again and again. */
import type { SystemBuild } from '../firmware/builds.ts';
import { models } from '../models.ts';
import { composeFlash } from './compose.ts';

const words = process.argv.slice(2);
for (let at = 0; at < words.length; at += 3) {
  const [path, model, system] = words.slice(at) as [string, keyof typeof models, SystemBuild];
  await composeFlash(path, models[model], system);
}
