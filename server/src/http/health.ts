import { KeyUnusable, ping, unsound, inEnglish } from '../kernel/index.js';
import type { Services } from '../docket/index.js';
import type { HttpApp } from './context.js';

/** What changes seldom and takes a moment to look at is looked at so often. */
const lookAgainMs = 30_000;

/** Whether guards, rights and keys are as they should be: a sentence for each thing that is not. */
async function unready(services: Services): Promise<string[]> {
  const failures: string[] = [];
  const wrong = await unsound(services.pool);
  if (wrong !== null) failures.push(wrong);
  const key = await services.contents
    .keysUsable()
    .catch((error: unknown) => (error instanceof KeyUnusable ? error.message : 'keys cannot be read'));
  if (typeof key === 'string') failures.push(key);
  return failures;
}

/** /health: the process lives. /ready: it can do its work, and the database keeps its promises. */
export function healthRoutes(app: HttpApp, services: Services): void {
  let looked: { readonly at: number; readonly failures: Promise<string[]> } | null = null;
  const looking = (): Promise<string[]> => {
    if (!looked || Date.now() - looked.at > lookAgainMs) looked = { at: Date.now(), failures: unready(services) };
    return looked.failures;
  };
  app.get('/health', (context) => context.json({ status: 'alive' }));
  app.get('/ready', async (context) => {
    let failures: string[] = [];
    if (services.stopping) failures.push('shutting down');
    const there = await ping(services.pool).then(
      () => true,
      () => false,
    );
    if (!there) failures.push('the database does not answer');
    else failures = failures.concat(await looking().catch(() => ['the database cannot be looked at']));
    for (const trouble of services.sealer.troubles()) if (trouble.what === 'sealing') failures.push(inEnglish(trouble.sentence));
    if (failures.length > 0) looked = null;
    return context.json({ status: failures.length === 0 ? 'ready' : 'not ready', failures }, failures.length === 0 ? 200 : 503);
  });
}
