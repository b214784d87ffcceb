import { buildWorkers } from '../scripts/prepare.mjs';

/** A plain `npx vitest run FILE` works from a clean tree: what tests need built is built where it is old. */
export default function setup(): void {
  buildWorkers();
}
