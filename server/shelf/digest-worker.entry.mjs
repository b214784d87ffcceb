// Threads do not inherit the TypeScript loader in Node 20; each registers it before its own module.
import { register } from 'tsx/esm/api';

register();
await import('./digest-worker.ts');
