import { migrate, readConfig } from '@key-cellar/server';
import { loadDemo } from './load.js';

const config = readConfig();
await migrate(config);
const started = Date.now();
await loadDemo(config, (line) => process.stdout.write(`  ${line}\n`));
process.stdout.write(`  the demo is loaded (${((Date.now() - started) / 1000).toFixed(1)} s)\n`);
