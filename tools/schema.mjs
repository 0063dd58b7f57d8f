// npm run schema: writes server/schema.sql, the schema as it stands after all migrations. With --check: refuses one that is not so.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { cluster } from './lib/cluster.mjs';
import { ensureDatabase } from './lib/database.mjs';
import { exec } from './lib/exec.mjs';
import { ensureInstalled, postgresBin } from './lib/install.mjs';
import { root } from './lib/paths.mjs';
import { run, say, Stop } from './lib/say.mjs';

const file = join(root, 'server', 'schema.sql');
const head = `-- The schema as it stands after all migrations, for reading. Written by npm run schema; the tests refuse one that is not so.\n`;

/** What a dump says besides the schema (settings, versions) differs from one machine to the next. */
const plain = (dump) =>
  dump
    .split('\n')
    .filter((line) => !/^(--|SET |SELECT pg_catalog|\\(un)?restrict)/.test(line))
    .join('\n')
    .replace(/\n{3,}/g, '\n\n')
    .trim();

/** The schema of a database that has had every migration, on the cluster at an owner's URL. */
export async function schemaOn(ownerUrl) {
  const url = await ensureDatabase(ownerUrl, `schema_${process.pid}`);
  const migrated = await exec(process.execPath, ['--import', 'tsx', join(root, 'tools', 'migrate.ts')], { env: { DATABASE_URL: url } });
  if (migrated.code !== 0) throw new Stop(`The migrations did not run:\n${migrated.output}`);
  const dumped = await exec(join(postgresBin(), 'pg_dump'), ['--schema-only', '--no-owner', '--exclude-schema=pgboss', url]);
  if (dumped.code !== 0) throw new Stop(`The schema could not be read:\n${dumped.output}`);
  return `${head}\n${plain(dumped.output)}\n`;
}

export const isCurrent = async (ownerUrl) => (await schemaOn(ownerUrl)) === readFileSync(file, 'utf8');

if (process.argv[1]?.endsWith('schema.mjs')) {
  await run(async () => {
    await ensureInstalled();
    const own = cluster('schema-cluster');
    try {
      writeFileSync(file, await schemaOn(await own.start()));
      say('server/schema.sql is what the migrations make.');
    } finally {
      await own.stop();
    }
  });
}
