import { message } from '@key-cellar/words';
import { plan, schedule, steps } from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import { actsFor, addJob, atRepository, cancelJob, changedMeanwhile, noRight, notFound, one, Problem } from '../kernel/index.js';
import { addRule, placeKind, removeRule } from '../plan/index.js';
import { jobKind, ruleKind } from './kinds.js';
import { recomputedAtOnce, recomputeRules, recomputeTelling } from './recomputing.js';
import { requireLists } from './lists.js';
import { requireGroups } from './ruleReads.js';
import { importSchedule } from './scheduleTable.js';
import type { Services } from './services.js';
import * as effectStore from './effectStore.js';
import * as reachStore from './reachStore.js';
import * as ruleStore from './ruleStore.js';

const { act, actInParts } = actsFor<Services>();
const keepers = message('schedule.keepersWholeRepositoryChange');
const recomputeJob = { kind: 'recompute', beyond: recomputedAtOnce } as const;

function requireRevision(rule: ruleStore.RuleRow, revision: number): void {
  if (rule.revision !== revision) throw changedMeanwhile();
}

export const ruleActs = {
  makeRule: act(schedule.makeRule, {
    name: 'began a rule',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'refused',
    async write(uow, { body }) {
      await requireGroups(uow, body.definition);
      await requireLists(uow, body.definition);
      const rule = { id: uuidv7(), code: body.code, draft: body.definition };
      await ruleStore.addRule(uow, rule);
      return { answer: { id: rule.id }, entry: { subject: { kind: 'rule', id: rule.id, name: rule.code }, after: body.definition } };
    },
  }),

  saveDraft: act(schedule.saveDraft, {
    name: 'saved a rule draft',
    on: { rule: one(ruleKind, ({ params }) => params.id, 'dispose', { who: keepers }) },
    repeat: 'refused',
    async write(uow, { on: { rule }, body }) {
      requireRevision(rule, body.revision);
      await requireGroups(uow, body.definition);
      await requireLists(uow, body.definition);
      const revision = await ruleStore.writeDraft(uow, rule.id, body.definition);
      return { answer: { revision }, entry: { before: rule.draft, after: body.definition } };
    },
  }),

  dropDraft: act(schedule.dropDraft, {
    name: 'dropped a rule draft',
    on: { rule: one(ruleKind, ({ params }) => params.id, 'dispose', { who: keepers }) },
    repeat: 'refused',
    async write(uow, { on: { rule }, body }) {
      requireRevision(rule, body.revision);
      if (!(await ruleStore.allVersions(uow)).some((v) => v.rule_id === rule.id)) {
        throw new Problem(409, 'never-published', message('schedule.neverPublished'));
      }
      await ruleStore.writeDraft(uow, rule.id, null);
      return { answer: {}, entry: { before: rule.draft } };
    },
  }),

  /** Publishes the draft as the next version and starts the recompute of all that the rule may govern. */
  publish: act(schedule.publish, {
    name: 'published a rule',
    on: { rule: one(ruleKind, ({ params }) => params.id, 'dispose', { who: keepers }) },
    repeat: 'refused',
    job: { kind: 'recompute', beyond: 0 },
    async write(uow, { on: { rule }, body, person, services }) {
      requireRevision(rule, body.revision);
      if (!rule.draft) throw new Problem(409, 'no-draft', message('schedule.noDraft'));
      const earlier = await ruleStore.publishedOf(uow, rule.id);
      const version = (earlier.at(-1)?.version ?? 0) + 1;
      const { inForceFrom, takesOver } = body;
      await ruleStore.addVersion(uow, {
        id: uuidv7(),
        ruleId: rule.id,
        version,
        definition: rule.draft,
        inForceFrom,
        takesOver,
        publishedBy: person.id,
        at: uow.at,
      });
      await ruleStore.writeDraft(uow, rule.id, null);
      return {
        answer: { version, jobId: await recomputeRules(services, uow, [rule.id], rule.code) },
        entry: { before: earlier.at(-1)?.definition ?? null, after: { ...rule.draft, version, inForceFrom, takesOver } },
      };
    },
  }),

  /** Withdraws a version that is announced; others count as if it had never been published. */
  withdrawVersion: act(schedule.withdrawVersion, {
    name: 'withdrew a rule version',
    on: { rule: one(ruleKind, ({ params }) => params.id, 'dispose', { who: keepers }) },
    repeat: 'refused',
    async write(uow, { on: { rule }, params, body: { reason }, person }) {
      const found = (await ruleStore.publishedOf(uow, rule.id)).find((v) => v.version === params.version);
      if (!found) throw notFound(message('thing.version'));
      if (found.withdrawn_at !== null) throw new Problem(409, 'withdrawn', message('schedule.versionWithdrawnBefore'));
      if (found.in_force_from <= person.today)
        throw new Problem(409, 'in-force', message('schedule.inForce', { since: { day: found.in_force_from } }));
      await ruleStore.withdrawVersion(uow, found.id, reason);
      return { answer: {}, entry: { before: { version: found.version, inForceFrom: found.in_force_from }, note: reason } };
    },
  }),

  importSchedule: actInParts(schedule.importSchedule, {
    name: 'published a rule',
    also: ['began a rule', 'saved a rule draft', 'withdrew a rule version', 'added a type of event', 'listed the ends of a named year'],
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    job: recomputeJob,
    perform: ({ services, access, body }, work) =>
      importSchedule(services, access, work, { bytes: Buffer.from(body.data, 'base64'), format: body.format, dryRun: body.dryRun }),
  }),

  setRule: act(plan.setRule, {
    name: 'set a rule',
    on: { place: one(placeKind, ({ params }) => params.id, 'dispose'), rule: one(ruleKind, ({ body }) => body.ruleId, noRight) },
    repeat: 'refused',
    job: recomputeJob,
    async write(uow, { on: { place, rule }, services, access }) {
      if ((await addRule(uow, place.id, rule.id)) === 0)
        throw new Problem(409, 'nothing-to-do', message('schedule.ruleSetAlready', { code: rule.code }));
      const recomputed = await recomputeTelling(services, uow, { placeIds: [place.id] }, rule.code, access);
      return { answer: { recomputed }, entry: { after: { rule: rule.code } } };
    },
  }),

  unsetRule: act(plan.unsetRule, {
    name: 'took a rule off',
    on: { place: one(placeKind, ({ params }) => params.id, 'dispose'), rule: one(ruleKind, ({ body }) => body.ruleId, noRight) },
    repeat: 'refused',
    job: recomputeJob,
    async write(uow, { on: { place, rule }, services, access }) {
      if ((await removeRule(uow, place.id, rule.id)) === 0)
        throw new Problem(409, 'nothing-to-do', message('schedule.ruleNotSet', { code: rule.code }));
      const recomputed = await recomputeTelling(services, uow, { placeIds: [place.id] }, rule.code, access);
      return { answer: { recomputed }, entry: { after: { rule: rule.code } } };
    },
  }),

  /** Judges everything anew, as a job; or only counts, in the same way, what would change. */
  recompute: act(steps.recompute, {
    name: ['asked for a recompute', 'tried a recompute'],
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'another',
    job: { kind: 'recompute', beyond: 0 },
    async write(uow, { body: { dryRun }, services }) {
      const reach: reachStore.Reach = { placeIds: [await effectStore.rootPlace(uow)] };
      const total = await reachStore.countWithin(uow, reach);
      const jobId = await addJob(uow, services.jobs, { kind: 'recompute', subject: 'all records', data: { reach, dryRun }, total });
      const subject = { kind: 'schedule', id: null, name: 'schedule' };
      return {
        answer: { jobId },
        entry: { act: dryRun ? 'tried a recompute' : 'asked for a recompute', subject, after: { records: total } },
      };
    },
  }),

  cancelJob: act(schedule.cancelJob, {
    name: 'cancelled work',
    on: { job: one(jobKind, ({ params }) => params.id, 'dispose', { who: message('schedule.whoeverBeganCanKeepers') }) },
    gate: 'none',
    repeat: 'refused',
    async write(uow, { on: { job } }) {
      await cancelJob(uow, job.id);
      return { answer: {}, entry: {} };
    },
  }),
};
