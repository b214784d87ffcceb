import { buildInterface, buildWorkers } from '../scripts/prepare.mjs';

/** As `workers-setup.ts`, with the interface for the browser. */
export default async function setup(): Promise<void> {
  buildWorkers();
  await buildInterface();
}
