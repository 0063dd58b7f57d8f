// Run from the TypeScript sources, a new thread has to be told how to read them; the built server has bundles.
import { argv } from 'node:process';
import { register } from 'tsx/esm/api';

register();
await import(`./${argv[2]}.ts`);
