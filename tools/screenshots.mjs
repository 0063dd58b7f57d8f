// npm run screenshots: refreshes docs/screenshots from the demo.
import { buildServer, buildWeb } from './lib/build.mjs';
import { testCluster } from './lib/cluster.mjs';
import { exec } from './lib/exec.mjs';
import { ensureInstalled } from './lib/install.mjs';
import { run } from './lib/say.mjs';

await run(async () => {
  await ensureInstalled({ browser: true });
  await Promise.all([buildServer(), buildWeb()]);
  const own = testCluster('test-cluster');
  try {
    const url = await own.start();
    const { code } = await exec('npx', ['playwright', 'test', '--config', 'e2e/playwright.config.ts'], {
      echo: true,
      env: { TEST_DATABASE_URL: url, SCREENSHOTS: '1' },
    });
    process.exitCode = code ?? 1;
  } finally {
    await own.stop();
  }
});
