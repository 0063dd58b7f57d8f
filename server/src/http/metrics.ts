import { timingSafeEqual } from 'node:crypto';
import { collectDefaultMetrics, Gauge, Registry } from 'prom-client';
import type { Services } from '../docket/index.js';
import { jobsByState } from '../kernel/index.js';
import { ledgerState } from '../ledger/index.js';
import { fixityState } from '../records/index.js';
import type { HttpApp } from './context.js';

function same(one: string, other: string): boolean {
  const [a, b] = [Buffer.from(one), Buffer.from(other)];
  return a.length === b.length && timingSafeEqual(a, b);
}

/** Figures to watch, for Prometheus (text format 0.0.4): what stands still, waits or is damaged, and how the process does. */
function figures(services: Services): { readonly registry: Registry; look(): Promise<void> } {
  const registry = new Registry();
  collectDefaultMetrics({ register: registry });
  const gauge = (name: string, help: string): Gauge => new Gauge({ name: `key_cellar_${name}`, help, registers: [registry] });
  const sealed = gauge('ledger_sealed_entries', 'Entries under the newest tree head');
  const unsealed = gauge('ledger_unsealed_entries', 'Entries that wait to be sealed');
  const unsealedFor = gauge('ledger_unsealed_seconds', 'For how long the oldest of them waits');
  const uncosigned = gauge('ledger_not_cosigned_entries', 'Sealed entries that the witness has not cosigned');
  const unstamped = gauge('ledger_not_stamped_entries', 'Sealed entries that have no time stamp');
  const alarm = gauge('ledger_alarm', '1 when the witness disagrees or the stored tree was changed');
  const damaged = gauge('contents_damaged', 'Contents that are damaged and set apart');
  const due = gauge('contents_due', 'Contents whose check is due, up to ten thousand');
  const uncopied = gauge('contents_without_copy', 'Contents that have no copy in the object store yet, up to ten thousand');
  const unlocked = gauge('objects_without_lock', 'Objects that are not locked yet, up to ten thousand');
  const keys = gauge('content_keys_to_destroy', 'Keys of destroyed contents that are still there');
  const jobs = new Gauge({ name: 'key_cellar_jobs', help: 'Jobs by state, of the last day', labelNames: ['state'], registers: [registry] });
  return {
    registry,
    async look() {
      const { pool, sealer } = services;
      const [state, contents, byState] = await Promise.all([ledgerState(pool, sealer), fixityState(services), jobsByState(pool)]);
      const size = state.heads[0]?.size ?? 0;
      sealed.set(size);
      unsealed.set(state.unsealed);
      unsealedFor.set(state.unsealedForSeconds);
      uncosigned.set(size - (state.witnessed ?? 0));
      unstamped.set(size - (state.stamped ?? 0));
      alarm.set(state.troubles.some((trouble) => trouble.alarm) ? 1 : 0);
      damaged.set(contents.damagedCount);
      due.set(contents.due);
      uncopied.set(contents.objects?.withoutCopy ?? 0);
      unlocked.set(contents.objects?.withoutLock ?? 0);
      keys.set(contents.keysToDestroy);
      jobs.reset();
      for (const { state: name, n } of byState) jobs.set({ state: name }, n);
    },
  };
}

/** `/metrics` for whoever knows METRICS_TOKEN; without one there is no such page. */
export function metricsRoutes(app: HttpApp, services: Services): void {
  const { metricsToken } = services.config;
  if (metricsToken === null) return;
  const { registry, look } = figures(services);
  app.get('/metrics', async (context) => {
    if (!same(context.req.header('authorization') ?? '', `Bearer ${metricsToken}`)) return context.text('Name the token.\n', 401);
    await look();
    return context.body(await registry.metrics(), 200, { 'content-type': registry.contentType });
  });
}
