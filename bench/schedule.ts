import {
  carryOut,
  effectOfChange,
  listRecords,
  rackOfPlan,
  ruleActs,
  runRecompute,
  type Services,
  type SignedIn,
} from '@key-cellar/server';
import type { RuleDefinition } from '@key-cellar/contract';
import type { AskedCriteria } from '@key-cellar/core/criteria';
import { median, ratio, say } from './measure.js';

/** What-if over all records: every one of them is judged anew by a rule that would be set on the whole repository. */
export async function whatIf(services: Services, person: SignedIn): Promise<void> {
  const { rows } = await services.pool.query<{ rule_id: string; place_id: string }>(
    `select r.id as rule_id, p.id as place_id from rule r, place p where p.kind = 'repository' order by r.code limit 1`,
  );
  const { rule_id: ruleId, place_id: placeId } = rows[0]!;
  const times: number[] = [];
  let looked = 0;
  let steps = 0;
  for (let round = 0; round < 6; round++) {
    const begin = performance.now();
    const effect = await effectOfChange(
      services,
      person,
      { kind: 'setRule', placeId, ruleId, set: true },
      () => (steps += 1),
      new AbortController().signal,
    );
    // The first time the threads are started.
    if (round > 0) times.push(performance.now() - begin);
    looked = effect.looked;
  }
  say(
    `what-if and forecast, 30 years, ${looked} records`,
    'three seconds',
    median(times) / 3000,
    1,
    `${median(times).toFixed(0)} ms, ${services.effects.count} threads, told ${Math.round(steps / 6)} times`,
  );
}

/** Publishes a version that touches every record of one function, against an update of the same rows. */
export async function publishing(services: Services, person: SignedIn): Promise<void> {
  const { pool } = services;
  const { rows } = await pool.query<{ id: string }>(`select id from place where kind = 'function' order by code limit 1`);
  const functionId = rows[0]!.id;
  await pool.query(`delete from place_rule where place_id in (select id from place where ancestors @> array[$1::uuid] and id <> $1)`, [
    functionId,
  ]);
  const { rows: ruled } = await pool.query<{ id: string; n: number }>(
    `select r.id, (select count(*)::int from record where places @> array[$1::uuid]) as n from rule r order by code desc limit 1`,
    [functionId],
  );
  const { id, n } = ruled[0]!;
  await pool.query('insert into place_rule (place_id, rule_id) values ($1, $2) on conflict do nothing', [functionId, id]);
  let years = 11;
  let offset = 0;
  await ratio(
    `publish a rule that touches ${n} records`,
    'bare UPDATE of the same rows',
    async () => {
      const found = await pool.query<{ revision: number; definition: RuleDefinition }>(
        'select r.revision, v.definition from rule r join rule_version v on v.rule_id = r.id where r.id = $1 order by v.version desc limit 1',
        [id],
      );
      const { revision, definition } = found.rows[0]!;
      const next = { ...definition, steps: definition.steps.map((step) => ({ ...step, after: `P${years}Y` })) };
      const saved = await carryOut(services, person, ruleActs.saveDraft, { params: { id }, body: { revision, definition: next } });
      const { jobId } = await carryOut(services, person, ruleActs.publish, {
        params: { id },
        body: { revision: saved.revision, inForceFrom: '2000-01-01', takesOver: 'all' },
      });
      const job = {
        id: jobId,
        subject: 'bench',
        data: { reach: { placeIds: [functionId] } },
        cursor: null,
        advance: () => Promise.resolve(),
      };
      await runRecompute(services, job, person);
    },
    async () => {
      await pool.query(`update record set due_on = due_on + $2::int, clock_start = clock_start + $2::int where places @> array[$1::uuid]`, [
        functionId,
        ++offset,
      ]);
    },
    3,
    () => {
      years += 1;
    },
  );
}

/** The rack of the whole plan, against counting it. */
export async function rack(services: Services, person: SignedIn): Promise<void> {
  // As the housekeeping of a running server does every few seconds.
  await services.pool.query('select fold_rack()');
  await ratio(
    'rack of the whole plan',
    'one GROUP BY scan of the same rows',
    async () => {
      await rackOfPlan(services, person);
    },
    async () => {
      await services.pool.query(
        `select series_id, coalesce(vintage, 0), count(*), count(*) filter (where docket <> 'none'), count(*) filter (where exists (select from hold_cover c where c.record_id = record.id and c.released_at is null))
         from record where state <> 'disposed' group by 1, 2`,
      );
    },
    0.1,
  );
}

/** A page of what criteria match, against the same conditions by hand without asking who may see it. */
export async function criteriaPage(services: Services, person: SignedIn): Promise<void> {
  const { rows } = await services.pool.query<{ id: string; code: string }>(
    `select id, code from place where kind = 'series' order by code limit 1`,
  );
  const { id, code } = rows[0]!;
  const asked: [string, AskedCriteria, string, unknown[]][] = [
    [
      'place and dates',
      {
        op: 'and',
        of: [
          { op: 'under', placeId: id, name: code },
          { op: 'between', field: 'created', from: '2010-01-01', until: '2014-12-31' },
        ],
      },
      `places @> array[$1::uuid] and created_on between '2010-01-01' and '2014-12-31'`,
      [id],
    ],
    ['words', { op: 'words', text: 'paper 77' }, `search @@ '''paper'' & ''77'''::tsquery`, []],
    ['number', { op: 'text', field: 'number', how: 'startsWith', value: 'N-00001' }, `number ^@ 'N-00001'`, []],
    [
      'not and or',
      {
        op: 'and',
        of: [
          {
            op: 'or',
            of: [
              { op: 'words', text: '1234' },
              { op: 'words', text: '4321' },
            ],
          },
          { op: 'not', of: { op: 'is', field: 'outcome', value: 'permanent' } },
        ],
      },
      `(search @@ '''1234'''::tsquery or search @@ '''4321'''::tsquery) and not outcome = 'permanent'`,
      [],
    ],
  ];
  const ours: number[] = [];
  const bare: number[] = [];
  for (let round = 0; round < 6; round++) {
    for (const [name, criteria, where, values] of asked) {
      let begin = performance.now();
      await listRecords(services, person, { criteria: JSON.stringify(criteria), sort: 'number', descending: false, skip: 0, limit: 100 });
      const took = performance.now() - begin;
      begin = performance.now();
      await services.pool.query({
        name: `bare ${name}`,
        text: `select r.*, p.code from (select * from record where state <> 'disposed' and ${where} order by number limit 100) r join place p on p.id = r.place_id order by r.number`,
        values,
      });
      if (round > 0) {
        bare.push(performance.now() - begin);
        ours.push(took);
      }
    }
  }
  const sum = (times: readonly number[]): number => times.reduce((a, b) => a + b, 0);
  say(
    'criteria list page, 100 rows, access-filtered',
    'the same by hand, unfiltered',
    sum(ours) / sum(bare),
    1.5,
    `${(sum(ours) / ours.length).toFixed(1)} ms a page`,
  );
}
