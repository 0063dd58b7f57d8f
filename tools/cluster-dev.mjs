// Starts the cluster for development and leaves it running; prints its URL.
import { cluster } from './lib/cluster.mjs';
import { run, say } from './lib/say.mjs';

await run(async () => say(await cluster(process.argv[2] ?? 'development').start()));
