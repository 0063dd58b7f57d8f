// npm start: everything from a fresh machine to a running application. Ctrl-C stops what it started.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { buildServer, buildWeb, serverBundles } from './lib/build.mjs';
import { cluster } from './lib/cluster.mjs';
import { ensureDatabase, hostOf, isEmpty } from './lib/database.mjs';
import { exec } from './lib/exec.mjs';
import { ensureInstalled } from './lib/install.mjs';
import { root } from './lib/paths.mjs';
import { run, say, Stop } from './lib/say.mjs';

const empty = process.argv.includes('--empty');
const port = process.env.PORT ?? '4180';

function serve(url, env) {
  const child = spawn(process.execPath, [join(serverBundles, 'main.mjs')], {
    cwd: root,
    env: {
      ...process.env,
      DATABASE_URL: url,
      PORT: port,
      NODE_ENV: 'production',
      LOG_LEVEL: process.env.LOG_LEVEL ?? 'warn',
      ...env,
    },
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  const listening = new Promise((resolve, reject) => {
    child.once('message', resolve);
    child.once('exit', () => reject(new Stop('The server did not start; the lines above say why.')));
  });
  const ended = new Promise((resolve) => child.once('exit', resolve));
  return { child, listening, ended };
}

await run(async () => {
  await ensureInstalled();
  await Promise.all([buildWeb(), buildServer()]);
  const own = process.env.DATABASE_URL ? null : cluster('cluster');
  // On a database of our own, contents have a second copy in a stand-in, mail goes to one, and another says who people are.
  const { OBJECTS_URL = 'stand-in', SMTP_URL = 'stand-in', IDENTITY_PROVIDER = 'stand-in' } = process.env;
  const env = own ? { OBJECTS_URL, SMTP_URL, IDENTITY_PROVIDER } : {};
  let stopping = false;
  const stop = async () => {
    if (own && !stopping) {
      stopping = true;
      await own.stop();
    }
  };
  // Ctrl-C while something is still being prepared: stop the cluster, then go.
  const interrupted = () => stop().finally(() => process.exit(130));
  process.on('SIGINT', interrupted);
  process.on('SIGTERM', interrupted);
  try {
    if (own) say('Starting the database …');
    const url = process.env.DATABASE_URL ?? (await ensureDatabase(await own.start(), empty ? 'key_cellar_empty' : 'key_cellar'));
    if (!own) say(`Using the database at ${hostOf(url)}.`);
    if (!empty && (await isEmpty(url))) {
      say('Loading the demo (about 20 seconds) …');
      const loaded = await exec(process.execPath, ['--import', 'tsx', join('demo', 'src', 'main.ts')], {
        env: { ...env, DATABASE_URL: url },
        echo: true,
      });
      if (loaded.code !== 0) throw new Stop('The demo could not be loaded; the lines above say why.');
    }
    const { child, listening, ended } = serve(url, env);
    process.off('SIGINT', interrupted);
    process.off('SIGTERM', interrupted);
    process.on('SIGINT', () => child.kill('SIGINT'));
    process.on('SIGTERM', () => child.kill('SIGTERM'));
    await listening;
    say(`\nKey Cellar is at http://127.0.0.1:${port}`);
    if (empty) say('It is empty: the first page makes the first keeper.');
    else say('Demo accounts: ines, tomas, hanne, dario, lune, petra, kofi, mirela, odile, ruben, sunniva; password marrowick-cellar');
    say('Ctrl-C stops it.');
    await ended;
  } finally {
    await stop();
  }
});
