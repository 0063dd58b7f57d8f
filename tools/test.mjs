// npm test: checks, unit tests of core and web in a browser, server against a real PostgreSQL, journeys.
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { stripVTControlCharacters } from 'node:util';
import { checks, runChecks } from './check.mjs';
import { buildServer, buildWeb, serverBundles } from './lib/build.mjs';
import { testCluster } from './lib/cluster.mjs';
import { exec } from './lib/exec.mjs';
import { ensureInstalled } from './lib/install.mjs';
import { run, say } from './lib/say.mjs';
import { isCurrent } from './schema.mjs';

let passed = 0;
let failed = 0;

function count(name, ok, bad, code) {
  // A runner that ended badly without counting a failure has failed all the same; one that ran nothing, too.
  const failures = code !== 0 && bad === 0 ? 1 : ok + bad === 0 ? 1 : bad;
  passed += ok;
  failed += failures;
  say(`\n== ${name}: ${ok} passed, ${failures} failed\n`);
}

/** Numbers from a runner's closing line, whatever its colours. */
function numbers(output, pattern) {
  const all = [...stripVTControlCharacters(output).matchAll(pattern)];
  return (
    all
      .at(-1)
      ?.slice(1)
      .map((n) => Number(n ?? 0)) ?? [0, 0]
  );
}

async function checksStage() {
  const bad = await runChecks();
  count('checks', checks.length - bad.length, bad.length, 0);
}

async function unitStage() {
  const { code, output } = await exec('npx', ['ng', 'test'], { echo: true, env: { NG_CLI_ANALYTICS: 'false' } });
  const [total, bad] = numbers(output, /Executed (\d+) of \d+(?: \((\d+) FAILED\))?/g);
  count('core and web', total - bad, bad, code);
}

async function schemaStage(url) {
  const current = await isCurrent(url).catch((error) => (say(error.message), false));
  if (!current) say('server/schema.sql or docs/schema.md is not what the migrations make. Run: npm run schema');
  count('schema', Number(current), Number(!current), 0);
}

async function serverStage(urls) {
  await buildServer();
  const { code, output } = await exec(
    process.execPath,
    ['--import', 'tsx', join('node_modules', 'jasmine', 'bin', 'jasmine.js'), '--config=server/jasmine.json', `--parallel=${urls.length}`],
    { echo: true, env: { TEST_DATABASE_URL: urls.join(' '), SERVER_BUNDLES: serverBundles } },
  );
  const [total, bad] = numbers(output, /(\d+) specs?, (\d+) failures?/g);
  count('server', total - bad, bad, code);
}

/** What the built interface says is in its catalogues. */
async function wordsStage() {
  await buildWeb();
  const { code, output } = await exec(process.execPath, ['--import', 'tsx', 'tools/words.ts', '--check', 'built']);
  if (code !== 0) say(output);
  count('words', Number(code === 0), Number(code !== 0), 0);
}

async function journeyStage(url) {
  await Promise.all([buildServer(), buildWeb()]);
  const { code, output } = await exec('npx', ['playwright', 'test', '--config', 'e2e/playwright.config.ts'], {
    echo: true,
    env: { TEST_DATABASE_URL: url, PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD: '1' },
  });
  const [bad] = numbers(output, /^\s+(\d+) failed/gm);
  const [ok] = numbers(output, /^\s+(\d+) passed/gm);
  count('journeys', ok, bad, code);
}

const only = process.argv.slice(2);
const wants = (stage) => only.length === 0 || only.includes(stage);

await run(async () => {
  await ensureInstalled({ browser: true });
  // Specs of the server wait as much as they work, so that one more runs at once than there are processors.
  const [own, ...others] = Array.from({ length: availableParallelism() + 1 }, (_, i) => testCluster(`test-cluster-${i + 1}`));
  const stopOthers = () => Promise.all(others.map((one) => one.stop()));
  const stopAll = () => Promise.all([own.stop(), stopOthers()]);
  const stop = () => stopAll().finally(() => process.exit(130));
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
  try {
    if (wants('checks')) await checksStage();
    if (wants('unit')) await unitStage();
    if (wants('server') || wants('journeys')) {
      const url = await own.start();
      if (wants('server')) await schemaStage(url);
      if (wants('server')) await serverStage([url, ...(await Promise.all(others.map((one) => one.start())))]);
      await stopOthers();
      if (wants('journeys')) await wordsStage();
      if (wants('journeys')) await journeyStage(url);
    }
  } finally {
    await stopAll();
  }
  say(`${passed} passed, ${failed} failed`);
  if (failed > 0) process.exitCode = 1;
  // Nothing of ours is left running; a stray handle of a runner must not keep the process.
  process.exit(process.exitCode ?? 0);
});
