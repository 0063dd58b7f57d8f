import { message } from '@key-cellar/words';
import { jobsToCancel, ofRepository, type CancellableJob, type Kind } from '../kernel/index.js';
import * as events from './eventsStore.js';
import * as levels from './levelsStore.js';
import * as clockStore from './clockStore.js';
import * as ruleStore from './ruleStore.js';

/** The schedule belongs to the whole repository. */
export const ruleKind = ofRepository<ruleStore.RuleRow>({
  word: 'rule',
  what: message('thing.rule'),
  subject: (rule) => ({ kind: 'rule', id: rule.id, name: rule.code }),
  find: (db, id, lock) => (lock ? ruleStore.lockRule(db, id) : ruleStore.ruleById(db, id)),
});

/** One of the rules by criteria, with all of them in their order: while one changes, nobody else changes the others. */
export interface CriteriaRuleInOrder {
  readonly id: string;
  readonly at: levels.LockedCriteriaRule;
  readonly all: readonly levels.LockedCriteriaRule[];
  readonly rule: ruleStore.RuleRow;
}

export const criteriaRuleKind = ofRepository<CriteriaRuleInOrder>({
  word: 'rule by criteria',
  what: message('thing.ruleCriteria'),
  subject: ({ rule }) => ({ kind: 'rule', id: rule.id, name: rule.code }),
  async find(db, id) {
    const all = await levels.lockCriteriaRules(db);
    const at = all.find((c) => c.id === id);
    return at && { id, at, all, rule: (await ruleStore.ruleById(db, at.rule_id))! };
  },
});

const record = <Row extends { id: string; number: string; title: string; access_set_id: number; deposited_by: string }>(
  find: Kind<Row>['find'],
): Kind<Row> => ({
  word: 'record',
  what: message('thing.record'),
  see: ['discover'],
  find,
  id: (r) => r.id,
  subject: (r) => ({ kind: 'record', id: r.id, name: `${r.number} ${r.title}` }),
  sets: (r) => [r.access_set_id],
  depositor: (r) => r.deposited_by,
});

/** A record with all that its clock counts from. */
export const clockKind = record<clockStore.OverridableRow>((db, ids) => clockStore.lockForOverride(db, ids));

/** What happened to a place, a record, or a party or object: rights on it are rights on that. */
export const eventKind: Kind<events.LockedEvent> = {
  word: 'event',
  what: message('thing.event'),
  see: ['discover'],
  find: (db, ids, lock) => events.findEvents(db, ids, lock),
  id: (event) => event.id,
  subject: (event) => ({ kind: event.subject_kind, id: event.place_id ?? event.record_id ?? event.entity_id, name: event.subject_name }),
  sets: (event) => (event.sets.length === 0 && event.entity_id !== null ? 'anywhere' : event.sets),
  depositor: (event) => event.deposited_by,
};

/** Long work belongs to whoever began it, and to the keepers of the repository. */
export const jobKind: Kind<CancellableJob> = {
  word: 'work',
  what: message('thing.work'),
  see: [],
  find: (db, ids) => jobsToCancel(db, ids),
  id: (job) => job.id,
  subject: (job) => ({ kind: 'job', id: job.id, name: `${job.kind} ${job.subject}` }),
  sets: () => [],
  mine: (job, person) => job.started_by === person.id,
};
