import { message } from '@key-cellar/words';
import { type records, setup } from '@key-cellar/contract';
import { definitionProblems } from '@key-cellar/core/records';
import { actsFor, atRepository, changedMeanwhile, one, Problem, somewhere, type ReadsOf, type Services } from '../kernel/index.js';
import { addEntity, added, changed, entitySubject, listEntities, requireFreeName, rewriteEntity } from './entities.js';
import { knowsEntities, namesOf } from './facts.js';
import { entityKind, typeKind } from './kinds.js';
import * as store from './store.js';
import {
  effectOf,
  gapsInOneTransaction,
  listTypes,
  publishVersion,
  refuseDefinitions,
  requireNextFacts,
  subjectOfType,
  typePage,
} from './types.js';

const { act, actInParts } = actsFor<Services>();
const keepers = message('facts.keepersDecideWhatRecord');
const editors = message('facts.editorsKeepersLookAfter');

export const factActs = {
  makeType: act(setup.makeType, {
    name: 'made a record type',
    on: { repository: atRepository('arrange', keepers) },
    repeat: 'refused',
    async write(uow, { body, person }) {
      refuseDefinitions(definitionProblems(body.facts));
      if (!(await store.addType(uow, body))) throw new Problem(409, 'code-taken', message('facts.codeTaken', { code: body.code }));
      await store.addTypeVersion(uow, { ...body, version: 1, by: person.id, at: uow.at });
      return { answer: {}, entry: { subject: subjectOfType(body), after: body } };
    },
  }),

  /**
   * Publishes another version. Records of the type stay valid as they are; required facts that they lack now are gaps. A
   * fact keeps the meaning of its code, and one that becomes unique must be so already.
   */
  changeType: actInParts(setup.changeType, {
    name: 'changed a record type',
    on: { repository: atRepository('arrange', keepers), type: one(typeKind, ({ params }) => params.code, 'arrange', { who: keepers }) },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    job: { kind: 'gaps', beyond: gapsInOneTransaction },
    async perform({ services, params: { code }, body, person, on: { type: seen } }, work) {
      await requireNextFacts(services.pool, seen, body.facts);
      const effect = await effectOf(services, code, seen.facts, body.facts);
      return work(async (uow) => {
        const type = (await store.lockType(uow, code))!;
        if (type.version !== body.version) throw changedMeanwhile();
        const published = await publishVersion(services, uow, type, { ...body, by: person.id, at: uow.at });
        return body.dryRun ? { effect, version: seen.version, jobId: null } : { effect, ...published };
      });
    },
  }),

  retireType: act(setup.retireType, {
    name: ['retired a record type', 'took a record type up again'],
    on: { type: one(typeKind, ({ params }) => params.code, 'arrange', { who: keepers }) },
    repeat: 'same',
    async write(uow, { on: { type }, body: { retired }, person }) {
      if ((type.retired_on !== null) === retired) return { answer: {}, entry: null };
      await store.retireType(uow, type.code, retired ? person.today : null);
      return { answer: {}, entry: { act: retired ? 'retired a record type' : 'took a record type up again' } };
    },
  }),

  makeEntity: act(setup.makeEntity, {
    name: [added('party'), added('object')],
    on: { repository: somewhere('edit') },
    repeat: 'refused',
    async write(uow, { body }) {
      return { answer: { id: await addEntity(uow, body) }, entry: [] };
    },
  }),

  changeEntity: act(setup.changeEntity, {
    name: [changed('party'), changed('object')],
    on: { entity: one(entityKind, ({ params }) => params.id, 'edit', { who: editors }) },
    repeat: 'refused',
    async write(uow, { on: { entity: before }, body, person }) {
      if (before.revision !== body.revision) throw changedMeanwhile();
      await requireFreeName(uow, before.kind, body.name, before.id);
      const retiredOn = body.retired ? (before.retired_on ?? person.today) : null;
      await rewriteEntity(uow, before, { name: body.name, code: body.code, note: body.note, retiredOn });
      return {
        answer: { revision: before.revision + 1 },
        entry: {
          act: changed(before.kind),
          subject: entitySubject({ ...before, name: body.name }),
          before: { name: before.name, code: before.code, note: before.note, retiredOn: before.retired_on },
          after: { name: body.name, code: body.code, note: body.note, retiredOn },
        },
      };
    },
  }),
};

export const typeReads: Pick<ReadsOf<typeof records, Services>, 'types'> = {
  types: async ({ services }) => ({
    types: (await store.recordTypes(services.pool)).map(({ retired_on, ...type }) => ({ ...type, retired: retired_on !== null })),
  }),
};

export const setupReads: Pick<ReadsOf<typeof setup, Services>, 'types' | 'type' | 'entities' | 'options' | 'names'> = {
  types: async ({ services, access }) => ({ types: await listTypes(services, await access()) }),
  type: async ({ services, access, params }) => typePage(services, await access(), params.code),
  entities: async ({ services, access, query }) => listEntities(services, await access(), query.kind, query.text),
  options: async ({ services: { pool }, access, query }) => {
    const text = query.text.trim();
    const known = await access();
    const sets = known.sets('discover');
    switch (query.kind) {
      case 'person':
        return { options: await store.peopleLike(pool, text) };
      case 'party':
      case 'object':
        return { options: knowsEntities(known) ? await store.entitiesLike(pool, query.kind, text) : [] };
      case 'place':
        return { options: await store.placesLike(pool, text, sets) };
      case 'reference':
        return { options: text === '' ? [] : await store.recordsLike(pool, text, sets) };
      default:
        return { options: [] };
    }
  },
  names: async ({ services: { pool }, access, body }) => ({ names: await namesOf(pool, await access(), body.ids) }),
};
