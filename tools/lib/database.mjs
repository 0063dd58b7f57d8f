import { Stop } from './say.mjs';

/** Makes a database on a cluster when it is not there; gives its URL. */
export async function ensureDatabase(ownerUrl, name) {
  const { default: pg } = await import('pg');
  const client = new pg.Client({ connectionString: ownerUrl });
  try {
    await client.connect();
  } catch (error) {
    throw new Stop(`The database at ${hostOf(ownerUrl)} does not answer: ${error.message}`);
  }
  try {
    const found = await client.query('select from pg_database where datname = $1', [name]);
    // The name comes from this program, never from outside.
    if (found.rowCount === 0) await client.query(`create database ${name}`);
  } finally {
    await client.end();
  }
  const url = new URL(ownerUrl);
  url.pathname = `/${name}`;
  return url.href;
}

export function hostOf(url) {
  return new URL(url).host;
}

/** Whether a database has people already, so that no demo is loaded into it. */
export async function isEmpty(url) {
  const { default: pg } = await import('pg');
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    const table = await client.query(`select to_regclass('principal') as name`);
    if (table.rows[0].name === null) return true;
    return (await client.query(`select from principal where kind = 'person' limit 1`)).rowCount === 0;
  } finally {
    await client.end();
  }
}
