import { message } from '@key-cellar/words';
import { schedule } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { actsFor, atRepository, notFound, Problem, wrongField, type Tasks } from '../kernel/index.js';
import { readingHolidays } from './holidays.js';
import { partsWithin } from './levels.js';
import * as levels from './levelsStore.js';
import * as lists from './listStore.js';
import { recomputedAtOnce, recomputeTelling } from './recomputing.js';
import * as reachStore from './reachStore.js';
import type { StoredCalendar } from './ruleStore.js';
import type { Services } from './services.js';

const { act, actInParts } = actsFor<Services>();
const keepers = message('schedule.keepersWholeRepositoryChange');
const job = { kind: 'recompute', beyond: recomputedAtOnce } as const;
const jurisdiction = (name: string) => ({ kind: 'jurisdiction', id: null, name });
const eventType = (name: string) => ({ kind: 'event type', id: null, name });
const namedYear = (name: string) => ({ kind: 'named year', id: null, name });

/** The holidays that were given, in their order, each day once; read from a file where there is one. */
async function holidaysOf(
  reading: Tasks,
  { holidays, ics }: { readonly holidays?: StoredCalendar['holidays'] | undefined; readonly ics?: string | undefined },
  today: string,
): Promise<StoredCalendar['holidays']> {
  const given = ics === undefined ? (holidays ?? []) : await reading.run(readingHolidays, { ics, today: civilDate(today) });
  return [...new Map(given.map((h) => [h.on, h])).values()].sort((a, b) => (a.on < b.on ? -1 : 1));
}

export const listActs = {
  /** Records of the jurisdiction are dated anew: some of their rules may count working days. */
  setCalendar: actInParts(schedule.setCalendar, {
    name: 'set the working days of a jurisdiction',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'same',
    job,
    async perform({ services, person, access, body }, work) {
      const { name, dryRun } = body;
      const weekend = [...new Set(body.weekend)].sort();
      const holidays = await holidaysOf(services.reading, body, person.today);
      if (dryRun) return { holidays: [...holidays], recomputed: 0 };
      return work(async (uow) => {
        const all = await levels.lockJurisdictions(uow);
        const before = all.find((j) => j.name === name);
        if (!before) throw notFound(message('thing.jurisdiction'));
        await lists.writeCalendar(uow, name, { weekend, holidays });
        const narrower = partsWithin(all, name);
        uow.enter({
          act: 'set the working days of a jurisdiction',
          subject: jurisdiction(name),
          before: before.calendar,
          after: { weekend, holidays },
        });
        return { holidays: [...holidays], recomputed: await recomputeTelling(services, uow, { jurisdictions: narrower }, name, access) };
      });
    },
  }),

  dropCalendar: act(schedule.dropCalendar, {
    name: 'dropped the working days of a jurisdiction',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'refused',
    job,
    async write(uow, { body: { name }, services, access }) {
      const all = await levels.lockJurisdictions(uow);
      const before = all.find((j) => j.name === name);
      if (!before) throw notFound(message('thing.jurisdiction'));
      if (before.calendar === null) throw new Problem(409, 'nothing-to-do', message('schedule.nobodySaidWhichDays', { name }));
      await lists.writeCalendar(uow, name, null);
      const recomputed = await recomputeTelling(services, uow, { jurisdictions: partsWithin(all, name) }, name, access);
      return { answer: { recomputed }, entry: { subject: jurisdiction(name), before: before.calendar } };
    },
  }),

  makeEventType: act(schedule.makeEventType, {
    name: 'added a type of event',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'refused',
    async write(uow, { body: { name } }) {
      if ((await lists.addEventTypes(uow, [name])) === 0) throw wrongField('/name', message('schedule.listAlready', { name }));
      return { answer: {}, entry: { subject: eventType(name) } };
    },
  }),

  dropEventType: act(schedule.dropEventType, {
    name: 'removed a type of event',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'refused',
    async write(uow, { body: { name } }) {
      const found = await lists.lockEventType(uow, name);
      if (!found) throw notFound(message('thing.typeEvent'));
      const { rules, events } = await lists.usesOfEventType(uow, found.name);
      if (rules > 0) throw new Problem(409, 'in-use', message('schedule.namedStays', { name: found.name, n: rules }));
      if (events > 0) throw new Problem(409, 'in-use', message('schedule.recordedStays', { name: found.name, n: events }));
      await lists.removeEventType(uow, found.name);
      return { answer: {}, entry: { subject: eventType(found.name) } };
    },
  }),

  setNamedYear: act(schedule.setNamedYear, {
    name: 'listed the ends of a named year',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'same',
    job,
    async write(uow, { body, services, access }) {
      const ends = [...new Set(body.ends)].sort();
      const before = await lists.lockNamedYear(uow, body.name);
      await lists.writeNamedYear(uow, body.name, ends);
      const rules = await lists.rulesRollingTo(uow, body.name);
      const recomputed =
        rules.length === 0 ? 0 : await recomputeTelling(services, uow, await reachStore.reachOfRules(uow, rules), body.name, access);
      return { answer: { recomputed }, entry: { subject: namedYear(body.name), before: before?.ends ?? null, after: ends } };
    },
  }),

  dropNamedYear: act(schedule.dropNamedYear, {
    name: 'removed a named year',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'refused',
    async write(uow, { body: { name } }) {
      const found = await lists.lockNamedYear(uow, name);
      if (!found) throw notFound(message('thing.namedYear'));
      const rules = await lists.rulesRollingTo(uow, name);
      if (rules.length > 0) throw new Problem(409, 'in-use', message('schedule.rollStays', { n: rules.length, name }));
      await lists.removeNamedYear(uow, name);
      return { answer: {}, entry: { subject: namedYear(name), before: found.ends } };
    },
  }),
};
