import { cluster } from './cluster.mjs';
import { ensureInstalled } from './install.mjs';

/** The database that DATABASE_URL names, or the one of `npm start`, with its cluster started for as long as it is needed. */
export async function ownDatabase() {
  await ensureInstalled();
  if (process.env.DATABASE_URL) return { url: process.env.DATABASE_URL, stop: async () => undefined };
  const own = cluster('cluster');
  await own.start();
  return { url: own.url('key_cellar'), stop: () => own.stop() };
}
