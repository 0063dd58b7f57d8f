import { pino } from 'pino';
import { openServices, type Services } from '../../src/index.js';
import { configFor } from './database.js';

/** Works over a database in which nothing goes on by itself: no job, no sweep, no seal, and nothing outside. */
export async function inStillness(database: string, work: (services: Services) => Promise<void>): Promise<void> {
  const services = await openServices(
    {
      ...configFor(database),
      archiveUrl: '',
      archiveKey: '',
      timeAuthorityUrl: '',
      timeAuthorityCertificates: '',
      witnessUrl: '',
      objects: null,
      mail: null,
      witnessKey: '',
    },
    pino({ level: 'silent' }),
    {
      connections: 4,
      sealer: () => ({ sealNow: () => Promise.resolve(0), troubles: () => [], stop: () => Promise.resolve() }),
    },
  );
  try {
    await work(services);
  } finally {
    await Promise.all([services.jobs.stop(), services.pages.stop(), services.reading.stop(), services.effects.stop()]);
    await Promise.all([services.pool.end(), services.uploadPool.end(), services.countPool.end()]);
  }
}
