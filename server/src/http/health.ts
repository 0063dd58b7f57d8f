import { row } from '../db/index.js';
import type { Services } from '../services.js';
import type { HttpApp } from './implement.js';

/** /health: the process lives. /ready: it can do its work. */
export function healthRoutes(app: HttpApp, services: Services): void {
  app.get('/health', (context) => context.json({ status: 'alive' }));
  app.get('/ready', async (context) => {
    const failures: string[] = [];
    if (services.stopping) failures.push('shutting down');
    await row(services.pool, 'ready.database', 'select 1 as one').catch(() => failures.push('the database does not answer'));
    return context.json({ status: failures.length === 0 ? 'ready' : 'not ready', failures }, failures.length === 0 ? 200 : 503);
  });
}
