import { message } from '@key-cellar/words';
import { schedule } from '@key-cellar/contract';
import { describeCriteria } from '@key-cellar/core/criteria';
import { refuse } from '@key-cellar/core/records';
import { mayBePartOf } from '@key-cellar/core/schedule';
import { uuidv7 } from 'uuidv7';
import { actsFor, atRepository, noRight, notFound, one, Problem, wrongField } from '../kernel/index.js';
import { placeKind, requireRevision } from '../plan/index.js';
import { criteriaRuleKind, ruleKind } from './kinds.js';
import { partsWithin, requireForRules, requireJurisdictions } from './levels.js';
import * as levels from './levelsStore.js';
import { recomputedAtOnce, recomputeTelling } from './recomputing.js';
import type { Services } from './services.js';

const { act } = actsFor<Services>();
const keepers = message('schedule.keepersWholeRepositoryChange');
const job = { kind: 'recompute', beyond: recomputedAtOnce } as const;
const jurisdiction = (name: string) => ({ kind: 'jurisdiction', id: null, name });

export const levelActs = {
  setPair: act(schedule.setPair, {
    name: 'set a rule',
    on: { series: one(placeKind, ({ body }) => body.seriesId, 'dispose'), rule: one(ruleKind, ({ body }) => body.ruleId, noRight) },
    repeat: 'refused',
    job,
    async write(uow, { on: { series, rule }, body, services, access }) {
      if (series.kind !== 'series') throw wrongField('/seriesId', message('schedule.noSeries'));
      const type = await levels.typeByCode(uow, body.recordType);
      if (!type) throw wrongField('/recordType', message('schedule.thereNoRecordType', { recordType: body.recordType }));
      if ((await levels.addPair(uow, body)) === 0) {
        throw new Problem(
          409,
          'nothing-to-do',
          message('schedule.pairSetAlready', { rule: rule.code, type: type.title, series: series.code }),
        );
      }
      const recomputed = await recomputeTelling(services, uow, { pairs: [body] }, rule.code, access);
      return { answer: { recomputed }, entry: { after: { rule: rule.code, recordType: type.code } } };
    },
  }),

  unsetPair: act(schedule.unsetPair, {
    name: 'took a rule off',
    on: { series: one(placeKind, ({ body }) => body.seriesId, 'dispose'), rule: one(ruleKind, ({ body }) => body.ruleId, noRight) },
    repeat: 'refused',
    job,
    async write(uow, { on: { series, rule }, body, services, access }) {
      if ((await levels.removePair(uow, body)) === 0) {
        throw new Problem(
          409,
          'nothing-to-do',
          message('schedule.ruleNotSetOn', { rule: rule.code, type: body.recordType, series: series.code }),
        );
      }
      const recomputed = await recomputeTelling(services, uow, { pairs: [body] }, rule.code, access);
      return { answer: { recomputed }, entry: { after: { rule: rule.code, recordType: body.recordType } } };
    },
  }),

  addCriteriaRule: act(schedule.addCriteriaRule, {
    name: 'set a rule by criteria',
    on: {
      rule: one(ruleKind, ({ body }) => body.ruleId, 'dispose', { lock: false, who: keepers }),
    },
    repeat: 'another',
    job,
    async write(uow, { on: { rule }, body, services, access }) {
      requireForRules(body.criteria);
      const all = await levels.lockCriteriaRules(uow);
      const id = uuidv7();
      await levels.addCriteriaRule(uow, { ...body, id, position: (all.at(-1)?.position ?? 0) + 1 });
      return {
        answer: { id, recomputed: await recomputeTelling(services, uow, { criteria: [body.criteria] }, rule.code, access) },
        entry: { after: { criteria: describeCriteria(body.criteria), order: all.length + 1 }, note: body.note || undefined },
      };
    },
  }),

  changeCriteriaRule: act(schedule.changeCriteriaRule, {
    name: 'changed the criteria of a rule',
    on: { one: one(criteriaRuleKind, ({ params }) => params.id, 'dispose', { who: keepers }) },
    repeat: 'same',
    job,
    async write(
      uow,
      {
        on: {
          one: { at, rule },
        },
        body,
        services,
        access,
      },
    ) {
      requireForRules(body.criteria);
      await levels.writeCriteriaRule(uow, at.id, body.criteria, body.note);
      return {
        answer: { recomputed: await recomputeTelling(services, uow, { criteria: [at.criteria, body.criteria] }, rule.code, access) },
        entry: {
          before: { criteria: describeCriteria(at.criteria), note: at.note },
          after: { criteria: describeCriteria(body.criteria), note: body.note },
        },
      };
    },
  }),

  /** Only what this one matches can get another rule: the order of all others among themselves stays. */
  moveCriteriaRule: act(schedule.moveCriteriaRule, {
    name: 'moved a rule by criteria',
    on: { one: one(criteriaRuleKind, ({ params }) => params.id, 'dispose', { who: keepers }) },
    repeat: 'refused',
    job,
    decide: ({
      on: {
        one: { all, at },
      },
      body,
    }) =>
      all.indexOf(at) === Math.min(body.order, all.length) - 1 ? refuse('nothing-to-do', message('schedule.askedAtPlaceAlready')) : null,
    async write(
      uow,
      {
        on: {
          one: { all, at, rule },
        },
        body,
        services,
        access,
      },
    ) {
      const [from, to] = [all.indexOf(at), Math.min(body.order, all.length) - 1];
      const ids = all.map((c) => c.id);
      ids.splice(to, 0, ...ids.splice(from, 1));
      await levels.orderCriteriaRules(uow, ids);
      return {
        answer: { recomputed: await recomputeTelling(services, uow, { criteria: [at.criteria] }, rule.code, access) },
        entry: { before: { order: from + 1 }, after: { order: to + 1 }, note: describeCriteria(at.criteria) },
      };
    },
  }),

  dropCriteriaRule: act(schedule.dropCriteriaRule, {
    name: 'took a rule by criteria off',
    on: { one: one(criteriaRuleKind, ({ params }) => params.id, 'dispose', { who: keepers }) },
    repeat: 'refused',
    job,
    async write(
      uow,
      {
        on: {
          one: { all, at, rule },
        },
        services,
        access,
      },
    ) {
      await levels.removeCriteriaRule(uow, at.id);
      await levels.orderCriteriaRules(
        uow,
        all.filter((c) => c.id !== at.id).map((c) => c.id),
      );
      return {
        answer: { recomputed: await recomputeTelling(services, uow, { criteria: [at.criteria] }, rule.code, access) },
        entry: { before: { criteria: describeCriteria(at.criteria) } },
      };
    },
  }),

  makeJurisdiction: act(schedule.makeJurisdiction, {
    name: 'added a jurisdiction',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'refused',
    async write(uow, { body: { name, partOf } }) {
      const all = await levels.lockJurisdictions(uow);
      if (all.some((j) => j.name.toLowerCase() === name.toLowerCase()))
        throw wrongField('/name', message('schedule.existsAlready', { name }));
      if (partOf !== null && !all.some((j) => j.name === partOf))
        throw wrongField('/partOf', message('schedule.thereNo', { name: partOf }));
      await levels.addJurisdiction(uow, name, partOf);
      return { answer: {}, entry: { subject: jurisdiction(name), after: { partOf } } };
    },
  }),

  moveJurisdiction: act(schedule.moveJurisdiction, {
    name: 'moved a jurisdiction',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'same',
    job,
    async write(uow, { body: { name, partOf }, services, access }) {
      const found = await levels.lockJurisdictions(uow);
      const all = found.map((j) => ({ name: j.name, partOf: j.part_of }));
      const before = all.find((j) => j.name === name);
      if (!before) throw notFound(message('thing.jurisdiction'));
      if (partOf !== null && !all.some((j) => j.name === partOf))
        throw wrongField('/partOf', message('schedule.thereNo', { name: partOf }));
      if (partOf !== null && !mayBePartOf(name, partOf, all)) throw wrongField('/partOf', message('schedule.partItself', { partOf, name }));
      await levels.moveJurisdiction(uow, name, partOf);
      return {
        answer: { recomputed: await recomputeTelling(services, uow, { jurisdictions: partsWithin(found, name) }, name, access) },
        entry: { subject: jurisdiction(name), before: { partOf: before.partOf }, after: { partOf } },
      };
    },
  }),

  dropJurisdiction: act(schedule.dropJurisdiction, {
    name: 'removed a jurisdiction',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'refused',
    async write(uow, { body: { name } }) {
      const all = await levels.lockJurisdictions(uow);
      if (!all.some((j) => j.name === name)) throw notFound(message('thing.jurisdiction'));
      const uses = await levels.usesOfJurisdiction(uow, name);
      if (uses.length > 0) throw new Problem(409, 'in-use', message('schedule.inUse', { name, uses: { all: uses } }));
      await levels.removeJurisdiction(uow, name);
      return { answer: {}, entry: { subject: jurisdiction(name) } };
    },
  }),

  /** Says in which jurisdictions a place is; none: those of the place around it. */
  placeJurisdictions: act(schedule.placeJurisdictions, {
    name: 'set the jurisdictions of a place',
    on: { place: one(placeKind, ({ params }) => params.id, 'dispose') },
    repeat: 'refused',
    job,
    async write(uow, { on: { place }, body: { jurisdictions, revision }, services, access }) {
      requireRevision(place, revision);
      await requireJurisdictions(uow, jurisdictions);
      await levels.writePlaceJurisdictions(uow, place.id, [...new Set(jurisdictions)]);
      return {
        answer: { recomputed: await recomputeTelling(services, uow, { placeIds: [place.id] }, place.code, access) },
        entry: { before: place.jurisdictions, after: jurisdictions },
      };
    },
  }),
};
