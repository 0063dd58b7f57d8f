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
  type Db,
  type PersonAccess,
  type ReadsOf,
  type Services,
  type UnitOfWork,
} from '../kernel/index.js';
import { placeRef } from './areaStore.js';
import { give, grantLines, requireWithin, setsOfGrant, withShift } from './giving.js';
import { tagSubject } from './grants.js';
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

/** The sets on which a tag gives something, and the repository’s, where it is said what tags give. */
const setsOfTag = async (db: Db, tagId: string): Promise<number[]> => setsOfGrant(db, { access_set_id: await rootSet(db), tag_id: tagId });

/** Throws 403 where what is given by a tag is more, on what carries it, than whoever puts it in or out of use has there. */
async function requireWithinTag(uow: UnitOfWork, access: PersonAccess, tagId: string): Promise<void> {
  const sets = await setsOfTag(uow, tagId);
  for (const { profile } of await store.profilesBy(uow, [tagId])) await requireWithin(uow, access, sets, profile);
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
      const write = () => store.writeTag(uow, { id: tag.id, name, note, active, madeBy: null });
      let shift = null;
      if (active === tag.active) await write();
      else {
        await requireWithinTag(uow, access, tag.id);
        shift = (await withShift(uow, { person, trial, scope: 'everything' }, write)).access;
      }
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
    async write(uow, given) {
      const { tag } = given.on;
      if (!tag.active) throw wrongField('/id', message('access.tagNotInUse', { name: tag.name }));
      return give(uow, given, { sets: await setsOfTag(uow, tag.id), scope: 'everything', on: { tag } });
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
      places: places.map(placeRef),
      records: records.map((r) => ({ id: r.id, number: r.number, title: r.title, mayGrant: mayGrant(r.access_set_id) })),
      mayChange: await mayAtRepository(pool, access, 'grant'),
    };
  },
};
