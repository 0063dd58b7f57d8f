import type { EntityPage, records, setup } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { idsIn } from '@key-cellar/core/records';
import { message } from '@key-cellar/words';
import { entityById, namesOf, toEntityLine } from '../facts/index.js';
import { Download, entering, notFound, type PersonAccess, type ReadsOf } from '../kernel/index.js';
import { openPlace } from '../plan/index.js';
import { entityEvents } from '../schedule/index.js';
import { listDetectors, listUnread } from './detectors.js';
import { tryDetector } from './detectorTrial.js';
import { exportList } from './listExport.js';
import { count, ids, list, toLine } from './lists.js';
import { listNumberings } from './numbering.js';
import { leave, versionLeaving } from './serving.js';
import type { Services } from './services.js';
import { factValues } from './splitStore.js';
import * as store from './store.js';
import { extentOf } from './view.js';

const mostNewest = 50;
const mostValues = 200;

/** A party or business object, with its events and the newest records that refer to it. */
async function entityPage(services: Services, access: PersonAccess, id: string): Promise<EntityPage> {
  const sets = access.sets('discover');
  const found = hasRight(access.anywhere, 'discover') ? await entityById(services.pool, id, sets) : undefined;
  if (!found) throw notFound(message('thing.that'));
  const [newest, events] = await Promise.all([store.referringTo(services.pool, id, sets, mostNewest), entityEvents(services.pool, id)]);
  return { ...toEntityLine(found), note: found.note, revision: found.revision, newest: newest.map(toLine), events };
}

type Here = 'numberings' | 'factValues' | 'list' | 'exportList' | 'count' | 'ids' | 'pages';
export const recordReads: Pick<ReadsOf<typeof records, Services>, Here> = {
  numberings: async ({ services, access }) => ({ numberings: await listNumberings(services, await access()) }),
  factValues: async ({ services, person, params, query }) => {
    const { place, access } = await openPlace(services, person, params.id);
    const found = await factValues(services.pool, place.id, query.fact, access.sets('dispose'), mostValues);
    const values = found.flatMap(({ value, n }) => (value === null ? [] : [{ value, records: n }]));
    const without = found.find((f) => f.value === null)?.n ?? 0;
    return {
      values,
      without,
      factNames: await namesOf(services.pool, access, idsIn(Object.fromEntries(values.map((v, i) => [i, v.value])))),
    };
  },
  list: ({ services, person, query }) => list(services, person, query),
  exportList: entering(['exported a list'], async ({ services, person, query }) => new Download(await exportList(services, person, query))),
  count: async ({ services, person, query }) => ({ count: await count(services, person, query) }),
  ids: ({ services, person, query }) => ids(services, person, query),
  pages: entering(['read content', 'took a copy'], async ({ services, person, params, query }) => {
    const leaving = await versionLeaving(services, person, params.id, query.version, 'read');
    return leave(services, person, leaving, 'read content', () => extentOf(services, leaving.content));
  }),
};

export const recordSetupReads: Pick<ReadsOf<typeof setup, Services>, 'entity' | 'detectors' | 'unread' | 'tryDetector'> = {
  entity: async ({ services, access, params }) => entityPage(services, await access(), params.id),
  detectors: async ({ services, access }) => listDetectors(services, await access()),
  unread: async ({ services, access }) => listUnread(services, await access()),
  tryDetector: async ({ services, access, body }) => tryDetector(services, await access(), body),
};
