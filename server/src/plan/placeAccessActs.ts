import { access as accessEndpoints, people, tags } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { message } from '@key-cellar/words';
import {
  give,
  grantLines,
  grantsAround,
  markingOfPlace,
  markPlace,
  requireMarking,
  settleAnchor,
  tagPlace,
  tagsOnPlace,
  withShift,
} from '../access/index.js';
import { actsFor, notAllowed, one, Problem, requireRight, type ReadsOf, type Services } from '../kernel/index.js';
import { requireRevision } from './changes.js';
import { lockPlan } from './codeStore.js';
import { placeKind } from './kinds.js';
import { nearestNaming, placeById, writeReaderOnPages, writeStandAlone } from './placeStore.js';

const { act } = actsFor<Services>();

/** Who may do what on a place: what is given there, whether it stands alone, and how it is marked. */
export const placeAccessActs = {
  giveGrant: act(people.giveGrant, {
    name: 'granted',
    on: { place: one(placeKind, ({ params }) => params.id, 'grant') },
    repeat: 'another',
    tries: ({ body }) => body.dryRun,
    write: (uow, given) => {
      const { id: placeId, access_set_id: set } = given.on.place;
      return give(uow, given, { sets: [set], scope: { placeId }, on: { placeId } });
    },
  }),

  setStandAlone: act(people.setStandAlone, {
    name: ['let a place stand alone', 'opened a place to what is around it'],
    on: { place: one(placeKind, ({ params }) => params.id, 'grant') },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    // The plan before its places, as whoever moves one does.
    first: lockPlan,
    async write(uow, { person, trial, on: { place }, body }) {
      if (place.kind === 'repository') throw new Problem(409, 'the-repository', message('plan.repositoryStandsAlone'));
      requireRevision(place, body.revision);
      const { standAlone } = body;
      const { access: shift } = await withShift(uow, { person, trial, scope: { placeId: place.id } }, async () => {
        await writeStandAlone(uow, place.id, standAlone);
        await settleAnchor(uow, place.id);
      });
      return {
        answer: { revision: place.revision + 1, access: shift },
        entry: {
          act: standAlone ? 'let a place stand alone' : 'opened a place to what is around it',
          before: { standAlone: place.stand_alone },
          after: { standAlone },
          note: body.reason,
        },
      };
    },
  }),

  nameReader: act(people.nameReader, {
    name: ['let pages name their reader', 'let pages name nobody'],
    on: { place: one(placeKind, ({ params }) => params.id, 'grant') },
    repeat: 'refused',
    async write(uow, { on: { place }, body: { revision, readerOnPages, reason } }) {
      requireRevision(place, revision);
      if (place.reader_on_pages === readerOnPages) return { answer: { revision }, entry: null };
      await writeReaderOnPages(uow, place.id, readerOnPages);
      return {
        answer: { revision: revision + 1 },
        entry: {
          act: readerOnPages ? 'let pages name their reader' : 'let pages name nobody',
          before: { readerOnPages: place.reader_on_pages },
          after: { readerOnPages },
          note: reason,
        },
      };
    },
  }),

  markPlace: act(accessEndpoints.markPlace, {
    name: 'marked a place',
    on: { place: one(placeKind, ({ params }) => params.id, 'grant') },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    first: lockPlan,
    async write(uow, { person, trial, on: { place }, body: { revision, reason, ...marking } }) {
      requireRevision(place, revision);
      const around = place.parent_id === null ? null : await markingOfPlace(uow, place.parent_id);
      requireMarking(person, marking, around);
      const { done, access } = await withShift(
        uow,
        { person, trial, scope: { placeId: place.id } },
        () => markPlace(uow, place.id, marking),
        ({ swapped }) => swapped,
      );
      const { was, is } = done;
      return {
        answer: { revision: place.revision + (done.swapped.size > 0 ? 1 : 0), access },
        entry: done.swapped.size === 0 ? null : { before: was, after: is, note: reason },
      };
    },
  }),
};

/** Which access tags a place carries. */
export const placeTagActs = {
  ofPlace: act(tags.ofPlace, {
    name: 'changed access tags',
    on: { place: one(placeKind, ({ params }) => params.id, 'grant') },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    // The plan before its places, as whoever moves one does.
    first: lockPlan,
    async write(uow, { person, access, trial, on: { place }, body: { tagIds, revision, reason } }) {
      if (place.kind === 'repository') throw new Problem(409, 'the-repository', message('access.repositoryTags'));
      requireRevision(place, revision);
      const { done, access: shift } = await withShift(uow, { person, trial, scope: { placeId: place.id } }, () =>
        tagPlace(uow, access, place, tagIds),
      );
      return {
        answer: { revision: revision + (done ? 1 : 0), access: shift },
        entry: done && { before: { tags: done.was }, after: { tags: done.is }, note: reason },
      };
    },
  }),
};

export const grantReads: Pick<ReadsOf<typeof people, Services>, 'grantsOn'> = {
  grantsOn: async ({ services: { pool }, access, person, params }) => {
    const known = await access();
    const place = requireRight(known, person, await placeById(pool, params.id), 'discover', message('thing.place'));
    const may = (right: 'grant' | 'audit' | 'dispose'): boolean => hasRight(known.on(place.access_set_id).all, right);
    if (!may('grant') && !may('audit') && !may('dispose')) throw notAllowed('grant');
    return {
      grants: await grantLines(pool, await grantsAround(pool, place.id), person.timeZone),
      tags: await tagsOnPlace(pool, place.id),
      marking: { level: place.marking_level, caveats: place.marking_caveats },
      readerOnPages: { here: place.reader_on_pages, by: await nearestNaming(pool, place.id) },
      mayGrant: may('grant'),
    };
  },
};
