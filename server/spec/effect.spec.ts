import { plan, schedule, type EffectLine, type EffectPage, type RuleDefinition, type ScheduleChange } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { effectOnCases, namedEffect, withDraft } from '@key-cellar/core/schedule';
import { getOrMakeSet, programActor, withUnitOfWork } from '../src/index.js';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { type Login, makeWorld, ruleDefinition, statusOf, today, type World, revisionOf } from './support/world.js';

const years = (n: number, changes: Partial<RuleDefinition> = {}): RuleDefinition =>
  ruleDefinition({ steps: [{ kind: 'destroy', after: `P${n}Y`, from: 'clockStart', approvals: 1, noticeDays: 0 }], ...changes });

describe('the effect of a change', () => {
  const chapter = chapters();
  let world: World;
  const rules: Record<string, string> = {};
  let folder = '';
  beforeAll(async () => {
    world = await makeWorld();
    const keeper = world.as('keeper');
    const publish = async (code: string, definition: RuleDefinition, inForceFrom = '2000-01-01'): Promise<void> => {
      const { id } = await keeper.call(schedule.makeRule, { body: { code, definition } });
      await keeper.call(schedule.publish, { params: { id }, body: { revision: 1, inForceFrom, takesOver: 'all' } });
      rules[code] = id;
    };
    await publish('R-CREATED', years(5, { cutoff: { kind: 'calendarYear' } }));
    await publish('R-EVENT', years(3, { trigger: { kind: 'event', eventType: 'ended', occurrence: 'last' } }));
    await publish('R-FACT', years(2, { trigger: { kind: 'fact', fact: 'ended' } }));
    await publish('R-NORTH', years(9, { jurisdictions: ['Sound'] }));
    await publish(
      'R-NEVER',
      ruleDefinition({
        trigger: { kind: 'never' },
        steps: [{ kind: 'keepPermanently', after: 'P0D', from: 'clockStart', approvals: 0, noticeDays: 0 }],
      }),
    );
    await publish('R-LATE', years(1), '2027-01-01');
    for (const [name, partOf] of [
      ['Sound', null],
      ['North', 'Sound'],
    ] as const)
      await keeper.call(schedule.makeJurisdiction, { body: { name, partOf } });
    folder = (
      await keeper.call(plan.makePlace, { body: { parentId: world.ids.A01, kind: 'folder', code: 'F-1', title: 'Folder', note: '' } })
    ).id;
    const set = (id: string, code: string) => keeper.call(plan.setRule, { params: { id }, body: { ruleId: rules[code]! } });
    await set(world.ids.A01, 'R-CREATED');
    await set(folder, 'R-EVENT');
    await set(world.ids.B01, 'R-CREATED');
    await keeper.call(schedule.addCriteriaRule, {
      body: { ruleId: rules['R-FACT']!, criteria: { op: 'fact', fact: 'topic', value: `o'clock` }, note: '' },
    });
    await keeper.call(plan.recordEvent, { params: { id: folder }, body: { type: 'ended', on: '2020-05-05', note: '' } });
    // Records over many dates, places and facts, put in at once; then dated by the schedule.
    await asOwner(world.database, async (client) => {
      await client.query(
        `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on,
           facts, search, access_set_id, owner_id, deposited_by, size, jurisdictions)
         select gen_random_uuid(), p.code || '-' || i, 'R ' || i, 'electronic', 'note', p.id, s.id, p.ancestors,
           '2015-01-01'::date + (i * 37) % 4000, '2023-01-01', '2023-01-01', '2023-01-01',
           case i % 4 when 0 then '{"topic":"o''clock","ended":"2024-02-29"}' when 1 then '{"topic":"o''clock","ended":"2023-02-30"}'
             when 2 then '{"topic":"x"}' else '{}' end::jsonb,
           array_to_tsvector(array['r']), p.access_set_id, $1, $1, i, case when i % 3 = 0 then array['North'] else '{}' end
         from place p join place s on s.id = any (p.ancestors) and s.kind = 'series', generate_series(1, 120) i`,
        [world.ids.editor],
      );
    });
    const { rows } = await world.pool.query<{ id: string }>('select id from record order by number');
    const some = rows.map((r) => r.id);
    await keeper.call(schedule.override, {
      body: {
        ids: some.slice(0, 5),
        override: { kind: 'date', dueOn: '2045-01-01', action: 'transfer' },
        reason: 'by hand',
        dryRun: false,
      },
    });
    await keeper.call(schedule.override, {
      body: { ids: some.slice(5, 9), override: { kind: 'rule', ruleId: rules['R-CREATED']! }, reason: 'by hand', dryRun: false },
    });
    const { rows: inside } = await world.pool.query<{ id: string }>('select id from record where place_id = $1 order by number limit 3', [
      folder,
    ]);
    for (const { id } of inside) {
      await keeper.call(schedule.addRecordEvent, { params: { id }, body: { type: 'ended', on: '2022-01-31', note: '' } });
    }
    await setRuleAndBack(world.ids.root);
    // Pages large enough that the records are shared out among threads.
    await asOwner(world.database, (client) => client.query('update rack_cell set kept = kept'));
  });
  afterAll(() => world.stop());

  /** Dates everything anew. */
  async function setRuleAndBack(id: string): Promise<void> {
    const keeper = world.as('keeper');
    await keeper.call(plan.setRule, { params: { id }, body: { ruleId: rules['R-NEVER']! } });
    await keeper.call(plan.unsetRule, { params: { id }, body: { ruleId: rules['R-NEVER']! } });
  }

  async function effectOf(change: ScheduleChange, login: Login = 'keeper'): Promise<EffectPage> {
    const response = await world.as(login).fetch('/api/schedule/effect', { method: 'POST', body: JSON.stringify({ change }) });
    expect(response.status).toBe(200);
    const lines = (await response.text())
      .trim()
      .split('\n')
      .map((l) => JSON.parse(l) as EffectLine);
    const last = lines.at(-1)!;
    if ('effect' in last) return last.effect;
    throw new Error('problem' in last ? last.problem.detail : 'no effect');
  }

  interface Row {
    id: string;
    series: string;
    due_on: string | null;
    outcome: string;
    code: string | null;
    action: string | null;
  }
  const stored = async (): Promise<Map<string, Row>> => {
    const { rows } = await world.pool.query<Row>(
      `select r.id, s.code as series, r.due_on::text, r.outcome, v.definition->>'title' || r.rule_version_id as code, r.action
       from record r join place s on s.id = r.series_id left join rule_version v on v.id = r.rule_version_id`,
    );
    return new Map(rows.map((r) => [r.id, r]));
  };

  /** Asks for the effect, makes the change, and compares. */
  async function compare(change: ScheduleChange, make: () => Promise<unknown>): Promise<EffectPage> {
    const before = await stored();
    const effect = await effectOf(change);
    const result = await make();
    const jobId = (result as { jobId?: string } | undefined)?.jobId;
    if (jobId) await world.services.jobs.settled(jobId);
    const after = await stored();
    const wanted = { earlier: 0, later: 0, first: 0, none: 0, otherwise: 0 };
    let changed = 0;
    for (const [id, b] of before) {
      const a = after.get(id)!;
      if (a.due_on !== b.due_on || a.outcome !== b.outcome || a.code !== b.code || a.action !== b.action) changed += 1;
      if (a.due_on === b.due_on && a.outcome === b.outcome) continue;
      if (b.due_on === null) wanted[a.due_on === null ? 'otherwise' : 'first'] += 1;
      else if (a.due_on === null) wanted.none += 1;
      else if (a.due_on !== b.due_on) wanted[a.due_on < b.due_on ? 'earlier' : 'later'] += 1;
      else wanted.otherwise += 1;
    }
    expect(effect.shift).withContext(JSON.stringify(change).slice(0, 200)).toEqual(wanted);
    expect(effect.changed).withContext('changed').toBe(changed);
    expect(effect.looked).toBe(before.size);
    const ahead = (rows: Map<string, Row>): number => [...rows.values()].filter((r) => r.due_on !== null && r.due_on < '2056-09-01').length;
    const disposing = effect.forecast.filter((c) => c.step === 'destroy' || c.step === 'transfer').map((lane) => lane.cells);
    const total = (column: number): number =>
      disposing.flatMap((cells) => cells.filter((_, i) => i % 5 === column)).reduce((n, c) => n + c, 0);
    expect(total(1)).toBe(ahead(before));
    expect(total(3)).toBe(ahead(after));
    for (const m of effect.most) expect([m.before, m.after]).toEqual([before.get(m.id)!.due_on, after.get(m.id)!.due_on]);
    return effect;
  }

  chapter('of nothing is nothing, and the forecast is what is stored', async () => {
    const effect = await compare({ kind: 'nothing' }, () => Promise.resolve({}));
    expect(effect.changed).toBe(0);
    expect(effect.bySeries).toEqual([]);
  });

  chapter('of a new version is what publishing it does, whatever its trigger', async () => {
    const keeper = world.as('keeper');
    const versions: [string, RuleDefinition, 'all' | 'laterClocks', string][] = [
      ['R-CREATED', years(7, { cutoff: { kind: 'fiscalYear', firstMonth: 4, firstDay: 1 } }), 'all', '2010-01-01'],
      ['R-CREATED', years(4), 'laterClocks', '2019-01-01'],
      ['R-FACT', years(30, { trigger: { kind: 'recordDate', date: 'filed' } }), 'all', '2011-01-01'],
      ['R-EVENT', years(10, { trigger: { kind: 'event', eventType: 'ended', occurrence: 'first' } }), 'all', '2012-01-01'],
    ];
    for (const [code, definition, takesOver, inForceFrom] of versions) {
      const id = rules[code]!;
      const { revision } = await keeper.call(schedule.rule, { params: { id } });
      await keeper.call(schedule.saveDraft, { params: { id }, body: { revision, definition } });
      const effect = await compare({ kind: 'rule', ruleId: id, definition, inForceFrom, takesOver }, () =>
        keeper.call(schedule.publish, { params: { id }, body: { revision: revision + 1, inForceFrom, takesOver } }),
      );
      expect(effect.changed).withContext(code).toBeGreaterThan(0);
    }
  });

  chapter('as a browser works it out on the cases of a rule is the same', async () => {
    const keeper = world.as('keeper');
    const drafts: [string, RuleDefinition, 'all' | 'laterClocks', string][] = [
      ['R-CREATED', years(2, { cutoff: { kind: 'quarter' } }), 'all', '2026-09-14'],
      ['R-CREATED', years(20), 'laterClocks', '2018-01-01'],
      ['R-CREATED', years(20), 'all', '2030-01-01'],
      ['R-EVENT', years(30, { trigger: { kind: 'recordDate', date: 'created' } }), 'all', '2026-09-14'],
      ['R-FACT', years(1, { trigger: { kind: 'fact', fact: 'topic' } }), 'all', '2026-09-14'],
    ];
    for (const [code, definition, takesOver, inForceFrom] of drafts) {
      const ruleId = rules[code]!;
      const { cases, rules: published, more } = await keeper.call(schedule.ruleCases, { params: { id: ruleId } });
      expect(more).toBeFalse();
      const after = withDraft(published, ruleId, code, { ...definition, inForceFrom, takesOver });
      const day = Math.max(civilDate(today), civilDate(inForceFrom));
      const found = effectOnCases(cases, published, after, civilDate(today), day);
      const here = namedEffect(
        found,
        (id) => cases.find((c) => c.series.id === id)?.series,
        (id) => cases.find((c) => c.id === id),
      );
      const there = await effectOf({ kind: 'rule', ruleId, definition, inForceFrom, takesOver });
      // Which ten of many that move equally far are listed is left open.
      const far = (m: EffectPage['most'][number]): number =>
        m.before && m.after ? Math.abs(civilDate(m.after) - civilDate(m.before)) : -1;
      const told = ({ changed, shift, atOnce, held, inBatches, bySeries, byYear, most }: EffectPage) => ({
        changed,
        shift,
        atOnce,
        held,
        inBatches,
        bySeries,
        byYear,
        far: most.map(far),
      });
      expect(told(here)).withContext(`${code} ${inForceFrom}`).toEqual(told(there));
      expect(here.changed).withContext(code).toBeGreaterThan(0);
      expect(here.looked).toBeLessThan(there.looked);
    }
  });

  chapter('on cases is for keepers, on what they may discover; one record is looked at whatever governs it', async () => {
    const keeper = world.as('keeper');
    const { cases } = await keeper.call(schedule.ruleCases, { params: { id: rules['R-NEVER']! } });
    expect(cases).toEqual([]);
    const id = (await keeper.call(schedule.ruleCases, { params: { id: rules['R-CREATED']! } })).cases[0]!.id;
    const one = await keeper.call(schedule.recordCase, { params: { id } });
    expect([one.cases[0]!.id, Object.values(one.rules).flat().length > 0]).toEqual([id, true]);
    for (const login of ['editor', 'steward', 'auditor'] as const) {
      expect(await statusOf(world.as(login).call(schedule.ruleCases, { params: { id: rules['R-CREATED']! } }))).toBe(403);
      expect(await statusOf(world.as(login).call(schedule.recordCase, { params: { id } }))).toBe(403);
    }
    expect(await statusOf(keeper.call(schedule.ruleCases, { params: { id: world.ids.A } }))).toBe(404);
    expect(await statusOf(keeper.call(schedule.recordCase, { params: { id: world.ids.A } }))).toBe(404);
    // Marked above the keeper's clearance, a record is no case for them.
    const setOf = (to: number) =>
      asOwner(world.database, (client) => client.query('update record set access_set_id = $2 where id = $1', [id, to]));
    const { rows } = await world.pool.query<{ access_set_id: number }>('select access_set_id from record where id = $1', [id]);
    await setOf(
      await withUnitOfWork(
        world.pool,
        programActor('test', today),
        (uow) => getOrMakeSet(uow, { anchorPlace: world.ids.A01, recordId: null, level: 4, caveats: [], tags: [] }),
        'none',
      ),
    );
    const left = await keeper.call(schedule.ruleCases, { params: { id: rules['R-CREATED']! } });
    expect(left.cases.some((c) => c.id === id)).toBeFalse();
    expect(await statusOf(keeper.call(schedule.recordCase, { params: { id } }))).toBe(404);
    await setOf(rows[0]!.access_set_id);
  });

  chapter('of several rules set and taken off at once is what all of them do together', async () => {
    const keeper = world.as('keeper');
    const sets = [
      { placeId: world.ids.A02, ruleId: rules['R-NEVER']!, set: true },
      { placeId: folder, ruleId: rules['R-EVENT']!, set: false },
      { placeId: folder, ruleId: rules['R-CREATED']!, set: true },
    ];
    const together = await compare({ kind: 'setRules', sets }, async () => {
      for (const { placeId, ruleId, set } of sets)
        await keeper.call(set ? plan.setRule : plan.unsetRule, { params: { id: placeId }, body: { ruleId } });
    });
    expect(together.bySeries.length).toBe(2);
    const back = sets.map((s) => ({ ...s, set: !s.set }));
    await compare({ kind: 'setRules', sets: back }, async () => {
      for (const { placeId, ruleId, set } of back)
        await keeper.call(set ? plan.setRule : plan.unsetRule, { params: { id: placeId }, body: { ruleId } });
    });
    const unknown = effectOf({ kind: 'setRules', sets: [{ ...sets[0]!, ruleId: world.ids.A }] });
    await expectAsync(unknown).toBeRejectedWithError(/does not exist/);
  });

  chapter('of changes of the plan is what they do: moving, merging, closing, opening again, another jurisdiction', async () => {
    const keeper = world.as('keeper');
    const make = async (code: string): Promise<string> =>
      (await keeper.call(plan.makePlace, { body: { parentId: world.ids.A01, kind: 'folder', code, title: code, note: '' } })).id;
    const [one, two] = [await make('M-1'), await make('M-2')];
    const put = (folderId: string) =>
      asOwner(world.database, (client) =>
        client.query(
          `update record r set place_id = p.id, places = p.ancestors from place p where p.id = $1 and r.id in (select id from record where place_id = $2 order by number limit 20)`,
          [folderId, world.ids.A01],
        ),
      );
    await put(one);
    await put(two);
    const definition = years(6, { trigger: { kind: 'folderClosed' } });
    const { id: ruleId } = await keeper.call(schedule.makeRule, { body: { code: 'R-CLOSED', definition } });
    await keeper.call(schedule.publish, { params: { id: ruleId }, body: { revision: 1, inForceFrom: '2000-01-01', takesOver: 'all' } });
    await keeper.call(plan.setRule, { params: { id: one }, body: { ruleId } });
    // Some by hand and some with a rule by hand that follows the folder: they are judged one by one.
    const { rows } = await world.pool.query<{ id: string }>('select id from record where place_id = $1 order by number', [one]);
    await keeper.call(schedule.override, {
      body: { ids: rows.slice(0, 3).map((r) => r.id), override: { kind: 'rule', ruleId }, reason: 'by hand', dryRun: false },
    });
    // A rule for all that is in the second folder, by criteria: who comes into it follows it.
    await keeper.call(schedule.addCriteriaRule, {
      body: { ruleId: rules['R-NORTH']!, criteria: { op: 'under', placeId: two, name: 'M-2' }, note: '' },
    });
    const close = await compare({ kind: 'closeFolder', placeId: one, on: today }, () =>
      keeper.call(plan.closeFolder, { params: { id: one }, body: { on: today } }),
    );
    expect(close.shift.first).toBeGreaterThan(0);
    await compare({ kind: 'closeFolder', placeId: one, on: null }, () =>
      keeper.call(plan.reopenFolder, { params: { id: one }, body: { reason: 'too early' } }),
    );
    const jurisdictions = ['North'];
    await keeper.call(plan.setRule, { params: { id: two }, body: { ruleId: rules['R-NORTH']! } });
    await compare({ kind: 'placeJurisdictions', placeId: world.ids.A01, jurisdictions }, async () =>
      keeper.call(schedule.placeJurisdictions, {
        params: { id: world.ids.A01 },
        body: { revision: await revisionOf(world, world.ids.A01), jurisdictions },
      }),
    );
    const revision = await revisionOf(world, one);
    const merged = await compare({ kind: 'mergePlace', placeId: one, intoId: two }, () =>
      keeper.call(plan.mergePlace, { params: { id: one }, body: { revision, intoId: two, dryRun: false } }),
    );
    expect(merged.changed).toBeGreaterThan(0);
    const before = await revisionOf(world, two);
    await compare({ kind: 'movePlace', placeId: two, parentId: world.ids.A02 }, () =>
      keeper.call(plan.movePlace, { params: { id: two }, body: { revision: before, parentId: world.ids.A02, dryRun: false } }),
    );
    const circle = effectOf({ kind: 'mergePlace', placeId: world.ids.A01, intoId: folder });
    await expectAsync(circle).toBeRejectedWithError(/cannot be merged into itself/);
    await expectAsync(effectOf({ kind: 'closeFolder', placeId: rules['R-NORTH']!, on: null })).toBeRejectedWithError(/does not exist/);
    const last = (await keeper.call(schedule.criteriaRules)).rules.at(-1)!.id;
    await keeper.call(schedule.dropCriteriaRule, { params: { id: last } });
  });

  chapter('of setting rules on places, types and criteria is what setting them does', async () => {
    const keeper = world.as('keeper');
    const place = (placeId: string, code: string, set: boolean) =>
      compare({ kind: 'setRule', placeId, ruleId: rules[code]!, set }, () =>
        keeper.call(set ? plan.setRule : plan.unsetRule, { params: { id: placeId }, body: { ruleId: rules[code]! } }),
      );
    await place(world.ids.A02, 'R-NEVER', true);
    await place(world.ids.A02, 'R-NEVER', false);
    await place(world.ids.root, 'R-NORTH', true);
    await place(folder, 'R-EVENT', false);
    await place(folder, 'R-LATE', true);
    const pair = { recordType: 'note', seriesId: world.ids.A02, ruleId: rules['R-EVENT']! };
    await compare({ kind: 'setPair', ...pair, set: true }, () => keeper.call(schedule.setPair, { body: pair }));
    const criteria = {
      op: 'and' as const,
      of: [
        { op: 'under' as const, placeId: world.ids.A01, name: 'A-01' },
        { op: 'not' as const, of: { op: 'words' as const, text: 'zzz' } },
      ],
    };
    await compare({ kind: 'addCriteriaRule', ruleId: rules['R-NEVER']!, criteria }, () =>
      keeper.call(schedule.addCriteriaRule, { body: { ruleId: rules['R-NEVER']!, criteria, note: '' } }),
    );
    const second = (await keeper.call(schedule.criteriaRules)).rules[1]!.id;
    await compare({ kind: 'moveCriteriaRule', id: second, order: 1 }, () =>
      keeper.call(schedule.moveCriteriaRule, { params: { id: second }, body: { order: 1 } }),
    );
    const narrower = { op: 'fact' as const, fact: 'topic', value: 'x' };
    await compare({ kind: 'changeCriteriaRule', id: second, criteria: narrower }, () =>
      keeper.call(schedule.changeCriteriaRule, { params: { id: second }, body: { criteria: narrower, note: '' } }),
    );
    await compare({ kind: 'dropCriteriaRule', id: second }, () => keeper.call(schedule.dropCriteriaRule, { params: { id: second } }));
  });

  chapter('that nobody waits for any more leaves the threads to others', async () => {
    const path = `${world.base}/api/schedule/effect`;
    const init = {
      method: 'POST',
      body: JSON.stringify({ change: { kind: 'nothing' } }),
      headers: { cookie: world.as('keeper').cookie, 'x-key-cellar': 'test' },
    };
    const tries = Array.from({ length: 12 }, async (_, i) => {
      const gone = new AbortController();
      const asking = fetch(path, { ...init, signal: gone.signal }).then((r) => r.text());
      if (i % 3 === 0) return asking;
      setTimeout(() => gone.abort(), i * 3);
      return asking.catch(() => 'given up');
    });
    const answers = await Promise.all(tries);
    for (const [i, text] of answers.entries()) if (i % 3 === 0) expect(text).toContain('"effect"');
    expect((await effectOf({ kind: 'nothing' })).looked).toBeGreaterThan(0);
  });

  chapter('is for keepers, counts only what they may see, and refuses what cannot be', async () => {
    const change = JSON.stringify({ change: { kind: 'nothing' } });
    expect((await world.as('editor').fetch('/api/schedule/effect', { method: 'POST', body: change })).status).toBe(403);
    expect(await statusOf(world.as('keeper').call(schedule.effect, { body: { change: { kind: 'bogus' } as never } }))).toBe(422);
    const circle = effectOf({ kind: 'movePlace', placeId: world.ids.A, parentId: world.ids.A01 });
    await expectAsync(circle).toBeRejectedWithError(/cannot be moved into itself/);
    const unknown = effectOf({ kind: 'dropCriteriaRule', id: world.ids.A });
    await expectAsync(unknown).toBeRejectedWithError(/does not exist/);
    expect((await effectOf({ kind: 'nothing' })).forecast.length).toBeGreaterThan(0);
    expect(today).toBe('2026-09-14');
  });
});
