import { ping } from '../kernel/index.js';
import type { Services } from '../docket/index.js';
import type { HttpApp } from './bind.js';

/** /health: the process lives. /ready: it can do its work. */
export function healthRoutes(app: HttpApp, services: Services): void {
  app.get('/health', (context) => context.json({ status: 'alive' }));
  app.get('/ready', async (context) => {
    const failures: string[] = [];
    if (services.stopping) failures.push('shutting down');
    await ping(services.pool).catch(() => failures.push('the database does not answer'));
    return context.json({ status: failures.length === 0 ? 'ready' : 'not ready', failures }, failures.length === 0 ? 200 : 503);
  });
}
