// npm run bench [-- --quick]: prints one ratio a line against the bare work in the same run. --access, --schedule, --pages and --holds
// measure a part; --again does so on the database of the run before.
import { cluster } from './lib/cluster.mjs';
import { buildServer } from './lib/build.mjs';
import { ensureInstalled } from './lib/install.mjs';
import { exec } from './lib/exec.mjs';
import { run } from './lib/say.mjs';

await run(async () => {
  await ensureInstalled();
  await buildServer();
  // Vacuumed by hand before anything is measured, so that no autovacuum runs beside one side of a ratio.
  const own = cluster('bench-cluster', {
    settings: {
      shared_buffers: '2GB',
      effective_cache_size: '8GB',
      autovacuum: 'off',
    },
  });
  try {
    const url = await own.start();
    const { code } = await exec(process.execPath, ['--import', 'tsx', 'bench/main.ts', ...process.argv.slice(2)], {
      echo: true,
      env: { BENCH_DATABASE_URL: url },
    });
    process.exitCode = code ?? 1;
  } finally {
    await own.stop();
  }
});
