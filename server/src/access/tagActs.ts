import { tags as endpoints, type TagLine, type Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { message } from '@key-cellar/words';
import { uuidv7 } from 'uuidv7';
import {
  actsFor,
  atRepository,
  changedMeanwhile,
  mayAtRepository,
  notFound,
  ofRepository,
  one,
  wrongField,
  type PersonAccess,
  type ReadsOf,
  type Services,
  type UnitOfWork,
} from '../kernel/index.js';
import { daysOf, grantLines, requireDays, requirePrincipal, requireProfile, requireWithin, setsOfGrant, withShift } from './giving.js';
import { placeGrant, tagSubject } from './grants.js';
import { grantsById, rootSet } from './store.js';
import { requireAnywhere } from './looking.js';
import * as store from './tagStore.js';

const { act } = actsFor<Services>();

const mostTold = 200;

const tagKind = ofRepository<store.AccessTagRow>({
  word: 'access tag',
  what: message('thing.accessTag'),
  subject: tagSubject,
  find: async (db, id) => (await store.lockTags(db, [id]))[0],
});

/** Throws 422 for a name that another tag has. */
async function requireFreeName(uow: UnitOfWork, name: string, id: string): Promise<void> {
  if (await store.nameTaken(uow, name, id)) throw wrongField('/name', message('access.tagNameTaken', { name }));
}

/** Throws 403 where what is given by a tag is more, on what carries it, than whoever puts it in or out of use has there. */
async function requireWithinTag(uow: UnitOfWork, access: PersonAccess, tagId: string): Promise<void> {
  for (const grant of await grantsById(uow, await store.grantIdsOn(uow, tagId)))
    await requireWithin(uow, access, await setsOfGrant(uow, grant), grant.profile);
}

/** Access tags themselves, and what is given by them: for who gives access on the whole repository. */
export const tagActs = {
  make: act(endpoints.make, {
    name: 'made an access tag',
    on: { repository: atRepository('grant') },
    repeat: 'refused',
    async write(uow, { body: { name, note } }) {
      const id = uuidv7();
      await requireFreeName(uow, name, id);
      await store.writeTag(uow, { id, name, note, active: true, madeBy: uow.actor.id });
      return { answer: { id }, entry: { subject: tagSubject({ id, name }), after: { name, note } } };
    },
  }),

  change: act(endpoints.change, {
    name: 'changed an access tag',
    on: { tag: one(tagKind, ({ params }) => params.id, 'grant') },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, access, trial, on: { tag }, body: { name, note, active, revision } }) {
      if (tag.revision !== revision) throw changedMeanwhile();
      await requireFreeName(uow, name, tag.id);
      if (active !== tag.active) await requireWithinTag(uow, access, tag.id);
      const { access: shift } = await withShift(uow, { person, trial, scope: 'everything' }, () =>
        store.writeTag(uow, { id: tag.id, name, note, active, madeBy: null }),
      );
      return {
        answer: { revision: revision + 1, access: shift },
        entry: {
          subject: tagSubject({ id: tag.id, name }),
          before: { name: tag.name, note: tag.note, active: tag.active },
          after: { name, note, active },
        },
      };
    },
  }),

  give: act(endpoints.give, {
    name: 'granted',
    on: { tag: one(tagKind, ({ params }) => params.id, 'grant') },
    repeat: 'another',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, access, trial, on: { tag }, body }) {
      const { principalId, profile, reason } = body;
      requireDays(body);
      await requireProfile(uow, profile);
      if (!tag.active) throw wrongField('/id', message('access.tagNotInUse', { name: tag.name }));
      const sets = await setsOfGrant(uow, { access_set_id: await rootSet(uow), tag_id: tag.id });
      await requireWithin(uow, access, sets, profile);
      await requirePrincipal(uow, principalId);
      const { done: id, access: shift } = await withShift(uow, { person, trial, scope: 'everything' }, () =>
        placeGrant(uow, { principalId, profile, ...daysOf(body), reason, tag }),
      );
      return { answer: { id, access: shift }, entry: null };
    },
  }),
};

const line = ({ id, name, note, active, revision, grants, places, records }: store.CountedTagRow): Told<TagLine> => ({
  ...{ id, name, note, active, revision, grants, places, records },
});

/** For who may look into access anywhere: what carries a tag is told as far as they do. */
export const tagReads: Pick<ReadsOf<typeof endpoints, Services>, 'list' | 'page'> = {
  list: async ({ services: { pool }, access: known }) => {
    const access = await known();
    const tags = await store.countedTags(pool, requireAnywhere(access));
    return { tags: tags.map(line), mayMake: await mayAtRepository(pool, access, 'grant') };
  },

  page: async ({ services: { pool }, access: known, person, params: { id } }) => {
    const access = await known();
    const sets = requireAnywhere(access);
    const [tag] = await store.countedTags(pool, sets, id);
    if (!tag) throw notFound(message('thing.accessTag'));
    const mayGrant = (set: number): boolean => hasRight(access.on(set).all, 'grant');
    const [places, records] = [await store.placesCarrying(pool, id, sets, mostTold), await store.recordsCarrying(pool, id, sets, mostTold)];
    return {
      tag: line(tag),
      grants: await grantLines(pool, await grantsById(pool, await store.grantIdsOn(pool, id)), person.timeZone),
      places: places.map((p) => ({ id: p.id, kind: p.kind, code: p.code, title: p.title, mayGrant: mayGrant(p.access_set_id) })),
      records: records.map((r) => ({ id: r.id, number: r.number, title: r.title, mayGrant: mayGrant(r.access_set_id) })),
      mayChange: await mayAtRepository(pool, access, 'grant'),
    };
  },
};
