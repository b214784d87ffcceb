// Threads do not inherit the TypeScript loader in Node 20; each registers it before its own module.
import { register } from 'tsx/esm/api';

register();
export const { nameChunks, packChunks, unpackChunk } = await import('./chunk-worker.ts');
