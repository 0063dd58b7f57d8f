import { ledger } from '@key-cellar/contract';
import * as z from 'zod';
import { requireAtRepository, requireRight } from '../access/index.js';
import { withUnitOfWork } from '../db/index.js';
import { implement, type HttpApp } from '../http/implement.js';
import type { SignedIn } from '../identity/index.js';
import { Problem } from '../problem.js';
import { recordById } from '../records/index.js';
import type { Services } from '../services.js';
import * as service from './service.js';
import * as store from './store.js';

export function ledgerRoutes(app: HttpApp, services: Services): void {
  const { pool } = services;

  /** The whole trail is for those who may audit the whole repository. */
  async function requireAudit(person: SignedIn): Promise<void> {
    await requireAtRepository(pool, await services.access.of(person), 'audit', 'Keepers and auditors look at the whole ledger.');
  }

  implement(app, services, ledger.entries, async ({ person, query }) => {
    const { before, limit, ...filter } = query;
    const access = await services.access.of(person);
    if (filter.subject && filter.subjectKind === 'record') {
      // A record's own history is for everybody who may read the record.
      requireRight(access, person, await recordById(pool, filter.subject), 'read');
    } else {
      await requireAudit(person);
    }
    return service.listEntries(pool, person, filter, before, limit);
  });

  implement(app, services, ledger.acts, async ({ person }) => {
    await requireAudit(person);
    return { acts: (await store.acts(pool)).map((a) => a.act) };
  });

  implement(app, services, ledger.heads, async ({ person }) => {
    await requireAudit(person);
    return service.listHeads(pool);
  });

  implement(app, services, ledger.seal, async ({ person }) => {
    await requireAudit(person);
    await withUnitOfWork(
      pool,
      person,
      (uow) => uow.enter({ act: 'sealed the ledger', subject: { kind: 'ledger', id: null, name: 'ledger' } }),
      'none',
    );
    return { size: await services.sealer.sealNow() };
  });

  implement(app, services, ledger.verify, async ({ person }) => {
    await requireAudit(person);
    const result = await service.verifyLedger(pool);
    await withUnitOfWork(
      pool,
      person,
      (uow) =>
        uow.enter({
          act: 'verified the ledger',
          subject: { kind: 'ledger', id: null, name: 'ledger' },
          after: { ok: result.ok, size: result.size },
        }),
      'none',
    );
    return result;
  });

  // A file, not JSON for the interface: so it stands beside the contract's endpoints.
  app.get('/ledger/export', async (context) => {
    const person = context.get('person');
    if (!person) throw new Problem(401, 'not-signed-in', 'Sign in first.');
    await requireAudit(person);
    const filter = ledger.entries.query.parse(context.req.query());
    const since = z.coerce.number().int().positive().optional().parse(context.req.query('since'));
    const file = await service.exportEntries(pool, person.timeZone, filter, since);
    await withUnitOfWork(
      pool,
      person,
      (uow) =>
        uow.enter({
          act: 'exported ledger entries',
          subject: { kind: 'ledger', id: null, name: 'ledger' },
          after: { entries: file.entries.length, head: file.head.size },
        }),
      'none',
    );
    context.header('content-disposition', `attachment; filename="ledger-${file.head.size}.json"`);
    return context.json(file);
  });
}
