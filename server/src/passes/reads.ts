import type { passes, PassLine, Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { dateInZone, formatCivilDate } from '@key-cellar/core/calendar';
import { message } from '@key-cellar/words';
import { readSettings, tokenHash } from '../identity/index.js';
import { entering, notFound, Problem, type PersonAccess, type ReadsOf } from '../kernel/index.js';
import { extentOf, leave, type Services } from '../records/index.js';
import * as store from './store.js';
import { accessOfMaker, requireVisitor, stateOf, visitorLeaving } from './visiting.js';

const mostListed = 1000;
const shownAtOnce = 200;

export const passReads: ReadsOf<typeof passes, Services> = {
  list: async ({ services, person, access }) => {
    const known = await access();
    const sets = [...new Set([...known.sets('grant'), ...known.sets('audit')])];
    const found = await store.passesFor(services.pool, { madeBy: person.id, sets, most: mostListed });
    const makers = new Map<string, PersonAccess>();
    for (const pass of found) if (!makers.has(pass.made_by)) makers.set(pass.made_by, await accessOfMaker(services, pass, person.today));
    const targets = await store.targetsOf(
      services.pool,
      found.map((pass) => pass.id),
    );
    const byPass = new Map<string, typeof targets>();
    for (const t of targets) {
      const others = byPass.get(t.pass_id);
      if (others) others.push(t);
      else byPass.set(t.pass_id, [t]);
    }
    return {
      passes: found.map((pass): Told<PassLine> => {
        // What somebody may not know of any more is not told by a pass that they made once either.
        const own = (byPass.get(pass.id) ?? []).filter((t) => hasRight(known.on(t.access_set_id).all, 'discover'));
        const place = own.find((t) => t.kind !== 'record');
        return {
          id: pass.id,
          visitor: pass.visitor,
          reason: pass.reason,
          madeBy: { id: pass.made_by, name: pass.maker_name },
          madeOn: formatCivilDate(dateInZone(pass.made_at.getTime(), person.timeZone)),
          until: pass.until,
          copyOut: pass.copy_out,
          passphrase: pass.passphrase_hash !== null,
          openings: pass.openings,
          opened: pass.opened,
          lastOpened: pass.last_opened_at?.toISOString() ?? null,
          place: place ? { id: place.id, kind: place.kind as 'folder', code: place.code, title: place.title } : null,
          records: own.filter((t) => t.kind === 'record').map((t) => ({ id: t.id, name: `${t.code} ${t.title}` })),
          state: stateOf(pass, makers.get(pass.made_by)!, person.today),
        };
      }),
    };
  },

  door: async ({ services, body }) => {
    const pass = await store.passByToken(services.pool, tokenHash(body.token));
    if (!pass) throw notFound(message('thing.link'));
    const settings = await readSettings(services.pool);
    const state = stateOf(pass, await accessOfMaker(services, pass, settings.today), settings.today);
    if (state !== 'open') throw new Problem(409, 'pass-over', message('passes.worksNoMore'));
    return { repository: settings.repository, visitor: pass.visitor, until: pass.until, passphrase: pass.passphrase_hash !== null };
  },

  shown: async ({ services, visitor: visiting, query }) => {
    const { pass, sets, settings } = await requireVisitor(services, visiting);
    const found = await store.recordsOf(services.pool, pass, sets, { from: query.from, limit: shownAtOnce });
    return {
      repository: settings.repository,
      visitor: pass.visitor,
      madeBy: pass.maker_name,
      until: pass.until,
      copyOut: pass.copy_out,
      records: found.map((r) => ({
        ...{ id: r.id, number: r.number, title: r.title, createdOn: r.created_on },
        ...{ fileName: r.file_name, mediaType: r.media_type, size: r.size === null ? null : Number(r.size) },
      })),
      total: found[0]?.total ?? 0,
    };
  },

  pages: entering(['read content'], async ({ services, visitor: visiting, params }) => {
    const visitor = await requireVisitor(services, visiting);
    const leaving = await visitorLeaving(services, visitor, params.id);
    return leave(services, visitor.actor, leaving, 'read content', () => extentOf(services, leaving.content));
  }),
};
