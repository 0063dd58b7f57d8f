import type { EffectLine, schedule } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { message, told } from '@key-cellar/words';
import {
  Download,
  entering,
  Lines,
  notFound,
  tellProblem,
  requireAtRepository,
  requireRight,
  type PersonAccess,
  type ReadsOf,
} from '../kernel/index.js';
import { placeById } from '../plan/index.js';
import { caseOfRecord, casesOfRule } from './cases.js';
import { checkOfSchedule } from './check.js';
import { effectOfChange } from './effect.js';
import { placeEvents, recordEvents, waiting } from './events.js';
import { holidaysAsCalendar } from './holidays.js';
import * as levels from './levels.js';
import * as lists from './listStore.js';
import { jobFor } from './jobs.js';
import { ruleOnDay } from './ruleOnDay.js';
import { listRules, rulePage, ruleReach } from './ruleReads.js';
import { exportSchedule } from './scheduleTable.js';
import type { Services } from './services.js';

/** What changes to the schedule would do, and what is wrong with it, is for those who keep it. */
async function requireKeeper(services: Services, access: PersonAccess): Promise<void> {
  await requireAtRepository(services.pool, access, 'dispose', message('schedule.keepersWholeRepositoryChange'));
}

export const scheduleReads: ReadsOf<typeof schedule, Services> = {
  rules: async ({ services, person }) => ({ rules: await listRules(services, person) }),
  rule: ({ services, person, params }) => rulePage(services, person, params.id),
  ruleReach: ({ services, person, params }) => ruleReach(services, person, params.id),
  pairs: async ({ services, person }) => ({ pairs: await levels.listPairs(services, person) }),
  criteriaRules: async ({ services, person }) => ({ rules: await levels.listCriteriaRules(services, person) }),
  countCriteria: async ({ services, person, body }) => ({ count: await levels.countCriteria(services, person, body.criteria) }),
  jurisdictions: async ({ services }) => ({ jurisdictions: await levels.listJurisdictions(services) }),
  eventTypes: async ({ services }) => ({ types: await lists.eventTypeLines(services.pool) }),
  namedYears: async ({ services }) => ({ years: await lists.namedYearLines(services.pool) }),
  calendar: async ({ services, person, query }) => {
    const found = (await levels.listJurisdictions(services)).find((j) => j.name === query.name);
    if (!found?.calendar) throw notFound(message('thing.calendarJurisdiction'));
    const bytes = Buffer.from(holidaysAsCalendar(found.name, found.calendar, civilDate(person.today)));
    return new Download({ bytes, type: 'text/calendar; charset=utf-8', name: 'holidays.ics' });
  },
  ruleOnDay: ({ services, person, params, query }) => ruleOnDay(services, person, params.id, query),
  exportSchedule: entering(
    ['exported the schedule'],
    async ({ services, person, query }) => new Download(await exportSchedule(services, person, query.format)),
  ),
  ruleCases: async ({ services, person, params, access }) => {
    await requireKeeper(services, await access());
    return casesOfRule(services, person, params.id);
  },
  recordCase: async ({ services, person, params, access }) => {
    await requireKeeper(services, await access());
    return caseOfRecord(services, person, params.id);
  },
  effect: async ({ services, person, speaker, body, access }) => {
    await requireKeeper(services, await access());
    return new Lines(async (say: (line: EffectLine) => void, gone) => {
      try {
        const effect = await effectOfChange(services, person, body.change, (done, total) => say({ done, total }), gone);
        say({ effect });
      } catch (error) {
        if (gone.aborted) return;
        say({ problem: tellProblem(services.log, error, 'an effect could not be worked out').document(speaker) });
      }
    });
  },
  check: async ({ services, person, access }) => {
    await requireKeeper(services, await access());
    return { findings: await checkOfSchedule(services, person) };
  },
  waiting: async ({ services, person }) => ({ waiting: await waiting(services, person) }),
  placeEvents: async ({ services, person, params, access }) => {
    requireRight(await access(), person, await placeById(services.pool, params.id), 'discover', message('thing.place'));
    return { events: await placeEvents(services, params.id) };
  },
  recordEvents: async ({ services, person, params }) => ({ events: await recordEvents(services, person, params.id) }),
  job: async ({ services, params, person, access }) => {
    const job = await jobFor(services, person, await access(), params.id);
    return { state: job.state, done: job.done, total: job.total, sentence: job.told ?? told('') };
  },
};
