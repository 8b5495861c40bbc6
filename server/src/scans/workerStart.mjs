// A worker thread does not inherit the TypeScript loader of its parent: register it, then run the worker.
import { register } from 'tsx/esm/api';

register();
await import('./importWorker.ts');
