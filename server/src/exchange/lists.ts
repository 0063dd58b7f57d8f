import { mayBePartOf } from '@key-cellar/core/schedule';
import { message } from '@key-cellar/words';
import {
  addCriteriaRule,
  addEventTypes,
  addJurisdiction,
  lockJurisdictions,
  moveJurisdiction,
  requireForRules,
  writeCalendar,
  writeNamedYear,
} from '../schedule/index.js';
import { uuidv7 } from 'uuidv7';
import { attempt, wrong, type Section } from './bringing.js';
import * as store from './store.js';

const byName = (item: Readonly<Record<string, unknown>>): string => String(item['name']);
const named = <T extends { name: string }>(all: readonly T[]): { id: string; item: T }[] => all.map((item) => ({ id: item.name, item }));

export const jurisdictions: Section<'jurisdictions'> = {
  name: 'jurisdictions',
  key: ['name'],
  table: 'jurisdiction',
  nameOf: byName,
  reference: () => null,
  all: async (db) => named(await store.jurisdictions(db)),
  async write(b, changes) {
    const { uow } = b;
    const subject = (name: string) => ({ kind: 'jurisdiction', id: null, name });
    // Each is there before anything is a part of it.
    for (const { after, before } of changes) {
      if (before) continue;
      await addJurisdiction(uow, after.name, null);
      uow.enter({ act: 'added a jurisdiction', subject: subject(after.name), after: { partOf: after.partOf }, note: 'from a package' });
    }
    for (const change of changes) {
      const { after, before, taken } = change;
      if (taken.includes('partOf') && after.partOf !== (before?.partOf ?? null)) {
        const all = (await lockJurisdictions(uow)).map((j) => ({ name: j.name, partOf: j.part_of }));
        if (after.partOf !== null && !all.some((j) => j.name === after.partOf)) {
          wrong(b, 'jurisdictions', change, 'partOf', message('schedule.thereNo', { name: after.partOf }));
        } else if (after.partOf !== null && !mayBePartOf(after.name, after.partOf, all)) {
          wrong(b, 'jurisdictions', change, 'partOf', message('schedule.partItself', { partOf: after.partOf, name: after.name }));
        } else {
          await moveJurisdiction(uow, after.name, after.partOf);
          if (before) {
            const [was, is] = [{ partOf: before.partOf }, { partOf: after.partOf }];
            uow.enter({ act: 'moved a jurisdiction', subject: subject(after.name), before: was, after: is, note: 'from a package' });
          }
        }
      }
      if (!taken.includes('calendar') || (after.calendar === null && !before?.calendar)) continue;
      await writeCalendar(uow, after.name, after.calendar);
      uow.enter({
        act: 'set the working days of a jurisdiction',
        subject: subject(after.name),
        before: before?.calendar ?? null,
        after: after.calendar,
        note: 'from a package',
      });
    }
    if (changes.some((c) => c.before !== null)) b.touched.all = true;
  },
};

export const eventTypes: Section<'eventTypes'> = {
  name: 'eventTypes',
  key: ['name'],
  table: 'event_type',
  nameOf: (item) => byName(item).toLowerCase(),
  reference: () => null,
  identity: ['name'],
  all: async (db) => named(await store.eventTypes(db)),
  async write({ uow }, changes) {
    await addEventTypes(
      uow,
      changes.map((c) => c.after.name),
    );
    for (const { after } of changes)
      uow.enter({ act: 'added a type of event', subject: { kind: 'event type', id: null, name: after.name }, note: 'from a package' });
  },
};

export const namedYears: Section<'namedYears'> = {
  name: 'namedYears',
  key: ['name'],
  table: 'named_year',
  nameOf: byName,
  reference: () => null,
  all: async (db) => named(await store.namedYears(db)),
  async write(b, changes) {
    for (const { before, after } of changes) {
      await writeNamedYear(b.uow, after.name, after.ends);
      b.uow.enter({
        act: 'listed the ends of a named year',
        subject: { kind: 'named year', id: null, name: after.name },
        before: before?.ends ?? null,
        after: after.ends,
        note: 'from a package',
      });
      if (before) b.touched.all = true;
    }
  },
};

/** All of them are one thing: what counts is the order in which they are asked. */
export const criteriaRules: Section<'criteriaRules'> = {
  name: 'criteriaRules',
  key: ['name'],
  table: 'criteria_rule',
  rowsOf: 'rules',
  nameOf: byName,
  reference: () => null,
  blank: () => ({ name: 'order', rules: [] }),
  async all(db) {
    const rules = await store.criteriaRules(db);
    return rules.length === 0 ? [] : [{ id: 'order', item: { name: 'order', rules } }];
  },
  async write(b, changes) {
    for (const change of changes) {
      for (const rule of change.after.rules)
        await attempt(b, 'criteriaRules', change, 'rules', () => Promise.resolve().then(() => requireForRules(rule.criteria)));
      await store.dropCriteriaRules(b.uow);
      for (const [i, { rule, criteria, note }] of change.after.rules.entries()) {
        await addCriteriaRule(b.uow, { id: uuidv7(), ruleId: rule, criteria, note, position: i + 1 });
      }
      b.uow.enter({
        act: 'set a rule by criteria',
        subject: { kind: 'schedule', id: null, name: 'rules by criteria' },
        before: change.before?.rules ?? null,
        after: change.after.rules,
        note: 'from a package',
      });
      b.touched.all = true;
    }
  },
};
