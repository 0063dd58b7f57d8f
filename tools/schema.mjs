// npm run schema: writes server/schema.sql, the schema as it stands after all migrations, and docs/schema.md, its picture.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { cluster } from './lib/cluster.mjs';
import { ensureDatabase } from './lib/database.mjs';
import { exec } from './lib/exec.mjs';
import { ensureInstalled, postgresBin } from './lib/install.mjs';
import { root } from './lib/paths.mjs';
import { run, say, Stop } from './lib/say.mjs';

const file = join(root, 'server', 'schema.sql');
const picture = join(root, 'docs', 'schema.md');
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

/** Tables, their columns and what points where, for reading: in Mermaid and as a list. */
function pictureOf(sql) {
  const tables = [...sql.matchAll(/^CREATE TABLE public\.(\w+) \(\n([\s\S]*?)\n\)/gm)].map(([, name, body]) => ({
    name,
    columns: [...body.matchAll(/^ {4}(?!CONSTRAINT)(\w+) /gm)].map(([, column]) => column),
  }));
  const references = [
    ...sql.matchAll(/^ALTER TABLE ONLY public\.(\w+)\n {4}ADD CONSTRAINT \w+ FOREIGN KEY \(([\w, ]+)\) REFERENCES public\.(\w+)/gm),
  ].map(([, from, column, to]) => ({ from, column, to }));
  // People stand behind nearly everything; with them in it the picture shows nothing else.
  const drawn = references.filter(({ to }) => to !== 'principal');
  return [
    '# The schema',
    '',
    'Written by `npm run schema` from a fresh database. What points to people (`principal`) is in the list only.',
    '',
    '```mermaid',
    'erDiagram',
    ...drawn.map(({ from, column, to }) => `  ${to} ||--o{ ${from} : "${column}"`),
    '```',
    '',
    '| table | columns | points to |',
    '|---|---|---|',
    ...tables.map(({ name, columns }) => {
      const to = [...new Set(references.filter(({ from }) => from === name).map((r) => r.to))];
      return `| \`${name}\` | ${columns.join(', ')} | ${to.map((t) => `\`${t}\``).join(', ')} |`;
    }),
    '',
  ].join('\n');
}

/** Whether both files are what the migrations make. */
export async function isCurrent(ownerUrl) {
  const sql = await schemaOn(ownerUrl);
  return sql === readFileSync(file, 'utf8') && pictureOf(sql) === readFileSync(picture, 'utf8');
}

if (process.argv[1]?.endsWith('schema.mjs')) {
  await run(async () => {
    await ensureInstalled();
    const own = cluster('schema-cluster');
    try {
      const sql = await schemaOn(await own.start());
      writeFileSync(file, sql);
      writeFileSync(picture, pictureOf(sql));
      say('server/schema.sql and docs/schema.md are what the migrations make.');
    } finally {
      await own.stop();
    }
  });
}
