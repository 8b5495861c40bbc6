// A worker thread does not inherit the TypeScript loader of its parent: register it, then load the worker.
import { register } from 'tsx/esm/api';

register();
const { work } = await import('./importWorker.ts');
export default work;
