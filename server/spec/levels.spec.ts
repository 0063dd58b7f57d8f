import { said } from '@key-cellar/words/testing';
import { criteriaEndpoints, ledger, plan, records, schedule, type Dossier, type RuleDefinition } from '@key-cellar/contract';
import { parseCriteria, type Criteria } from '@key-cellar/core/criteria';
import { chapters } from './support/chapters.js';
import { type Login, makeWorld, problemOf, ruleDefinition, statusOf, type World, revisionOf } from './support/world.js';

const years = (n: number, changes: Partial<RuleDefinition> = {}): RuleDefinition =>
  ruleDefinition({
    title: `${n} years`,
    steps: [{ kind: 'destroy', after: `P${n}Y`, from: 'clockStart', approvals: 1, noticeDays: 0 }],
    ...changes,
  });

describe('levels of precedence', () => {
  const chapter = chapters();
  let world: World;
  let onSeries: string;
  beforeAll(async () => {
    world = await makeWorld();
    onSeries = await world.rule('R-SERIES', world.ids.A01, years(5));
  });
  afterAll(() => world.stop());

  const keeper = () => world.as('keeper');
  const dossier = (id: string): Promise<Dossier> => keeper().call(records.dossier, { params: { id } });
  async function published(code: string, definition = years(2)): Promise<string> {
    const { id } = await keeper().call(schedule.makeRule, { body: { code, definition } });
    await keeper().call(schedule.publish, { params: { id }, body: { revision: 1, inForceFrom: '2000-01-01', takesOver: 'all' } });
    return id;
  }
  const criteria = async (text: string): Promise<Criteria> => {
    const parsed = parseCriteria(text, await keeper().call(criteriaEndpoints.vocabulary));
    if (!parsed.ok) throw new Error(said(parsed.error.sentence));
    return parsed.criteria as Criteria;
  };

  chapter('a rule for a type in a series counts before one on the series, and goes again', async () => {
    const { id } = await world.file('editor');
    const body = { recordType: 'note', seriesId: world.ids.A01, ruleId: await published('R-PAIR') };
    expect((await dossier(id)).dueOn).toBe('2030-01-10');
    await keeper().call(schedule.setPair, { body });
    const found = await dossier(id);
    expect(found.dueOn).toBe('2027-01-10');
    expect(found.why.governing?.setOn).toBe('note in series A-01');
    expect(found.why.yielded.map((y) => [y.rule.code, y.reason])).toEqual([['R-SERIES', 'farther away']]);
    expect((await keeper().call(schedule.rule, { params: { id: body.ruleId } })).pairs.map((p) => p.code)).toEqual(['A-01']);
    expect(await problemOf(keeper().call(schedule.setPair, { body }))).toContain('already set on Note in A-01');
    await keeper().call(schedule.unsetPair, { body });
    expect((await dossier(id)).dueOn).toBe('2030-01-10');
    expect(await statusOf(world.as('steward').call(schedule.setPair, { body }))).toBe(403);
  });

  chapter('rules by criteria count in their order, follow facts as they change, and are dropped', async () => {
    const { id } = await world.file('editor', { facts: { topic: 'dredging' } });
    const [long, short] = [await published('R-LONG', years(9)), await published('R-SHORT', years(1))];
    const add = (ruleId: string, condition: Criteria) =>
      keeper().call(schedule.addCriteriaRule, { body: { ruleId, criteria: condition, note: '' } });
    const first = await add(long, await criteria('topic is dredging'));
    expect(first.recomputed).toBe(1);
    expect((await dossier(id)).dueOn).toBe('2034-01-10');
    expect((await dossier(id)).why.governing?.setOn).toBe('criteria no. 1');
    const second = await add(short, await criteria('under A-01 and topic starts with dred'));
    expect((await dossier(id)).why.governing?.code).toBe('R-LONG');
    await keeper().call(schedule.moveCriteriaRule, { params: { id: second.id }, body: { order: 1 } });
    expect((await dossier(id)).why.governing?.code).toBe('R-SHORT');
    // The record ceases to match when its fact changes.
    const { revision } = await dossier(id);
    await world
      .as('editor')
      .call(records.editFacts, { params: { id }, body: { revision, title: 'T', createdOn: '2025-01-10', facts: { topic: 'berths' } } });
    expect((await dossier(id)).why.governing?.code).toBe('R-SERIES');
    await keeper().call(schedule.changeCriteriaRule, {
      params: { id: first.id },
      body: { criteria: await criteria('topic is berths'), note: 'moved' },
    });
    expect((await dossier(id)).why.governing?.code).toBe('R-LONG');
    const { rules } = await keeper().call(schedule.criteriaRules);
    expect(rules.map((r) => [r.order, r.rule.code])).toEqual([
      [1, 'R-SHORT'],
      [2, 'R-LONG'],
    ]);
    for (const rule of rules) await keeper().call(schedule.dropCriteriaRule, { params: { id: rule.id } });
    expect((await dossier(id)).why.governing?.code).toBe('R-SERIES');
    expect((await keeper().call(schedule.criteriaRules)).rules).toEqual([]);
  });

  chapter('cannot be set by what follows from the schedule itself', async () => {
    const ruleId = await published('R-CIRCLE');
    for (const text of ['held', 'due in 2030', 'schedule says waiting', 'docket is due and under A-01']) {
      const call = keeper().call(schedule.addCriteriaRule, { body: { ruleId, criteria: await criteria(text), note: '' } });
      expect(await problemOf(call))
        .withContext(text)
        .toContain('so no rule can be set by it');
    }
    const relative = { op: 'within', field: 'created', way: 'last', count: 7, unit: 'day' };
    expect(await statusOf(keeper().call(schedule.addCriteriaRule, { body: { ruleId, criteria: relative as never, note: '' } }))).toBe(422);
    expect((await keeper().call(schedule.countCriteria, { body: { criteria: relative as never } })).count).toBeGreaterThan(-1);
  });

  chapter('a jurisdiction takes in the narrower ones, and cannot be its own part', async () => {
    for (const [name, partOf] of [
      ['Sound', null],
      ['North', 'Sound'],
      ['Quay', 'North'],
    ] as const)
      await keeper().call(schedule.makeJurisdiction, { body: { name, partOf } });
    const { id } = await world.file('editor', { place: world.ids.A02 });
    expect((await dossier(id)).outcome).toBe('unscheduled');
    await world.rule('R-SOUND', world.ids.A02, years(4, { jurisdictions: ['Sound'] }));
    expect((await dossier(id)).outcome).toBe('unscheduled');
    await keeper().call(schedule.placeJurisdictions, {
      params: { id: world.ids.A02 },
      body: { revision: await revisionOf(world, world.ids.A02), jurisdictions: ['Quay'] },
    });
    expect((await dossier(id)).why.governing?.code).toBe('R-SOUND');
    expect(await problemOf(keeper().call(schedule.moveJurisdiction, { body: { name: 'Sound', partOf: 'Quay' } }))).toContain(
      'part of Sound itself',
    );
    await keeper().call(schedule.moveJurisdiction, { body: { name: 'North', partOf: null } });
    expect((await dossier(id)).outcome).toBe('unscheduled');
    expect(await problemOf(keeper().call(schedule.dropJurisdiction, { body: { name: 'Quay' } }))).toContain('one place');
    expect(await problemOf(keeper().call(schedule.makeJurisdiction, { body: { name: 'sound', partOf: null } }))).toContain(
      'already exists',
    );
    const unknown = {
      params: { id: world.ids.A02 },
      body: { revision: await revisionOf(world, world.ids.A02), jurisdictions: ['Nowhere'] },
    };
    expect(await problemOf(keeper().call(schedule.placeJurisdictions, unknown))).toContain('no jurisdiction Nowhere');
    await keeper().call(schedule.placeJurisdictions, {
      params: { id: world.ids.A02 },
      body: { revision: await revisionOf(world, world.ids.A02), jurisdictions: [] },
    });
  });

  describe('by hand', () => {
    const override = (login: Login, ids: string[], dueOn: string | null, dryRun = false) =>
      world.as(login).call(schedule.override, {
        body: { ids, override: dueOn === null ? null : { kind: 'date', dueOn, action: 'destroy' }, reason: 'board decision', dryRun },
      });

    chapter('stewards keep longer, keepers let go sooner, others neither', async () => {
      const { id } = await world.file('editor');
      const tries: [Login, string, 'done' | 'refused'][] = [
        ['editor', '2040-01-01', 'refused'],
        ['steward', '2029-01-01', 'refused'],
        ['steward', '2040-01-01', 'done'],
        ['keeper', '2026-01-01', 'done'],
      ];
      for (const [login, dueOn, expected] of tries) {
        const { results } = await override(login, [id], dueOn);
        expect(results[0]!.outcome).withContext(`${login} ${dueOn}`).toBe(expected);
        if (expected === 'done') expect((await dossier(id)).dueOn).toBe(dueOn);
      }
      const { why } = await dossier(id);
      expect(why.override).toEqual({ reason: 'board decision', by: 'Person keeper', on: '2026-09-14' });
      // Going back to the rules keeps longer than the day set by hand: a steward may do that.
      expect((await override('steward', [id], null)).results[0]!.outcome).toBe('done');
      expect((await dossier(id)).why.override).toBeNull();
      expect((await override('steward', [id], null)).results[0]!.outcome).toBe('skipped');
      // Taking back a longer date lets go sooner than before.
      await override('steward', [id], '2050-01-01');
      expect((await override('steward', [id], null)).results[0]!.outcome).toBe('refused');
    });

    chapter('says first what it would do, and tells nothing of what may not be discovered', async () => {
      const { id } = await world.file('editor');
      const secret = await world.file('steward', { place: world.ids.B01 });
      const { results } = await override('editor', [id, secret.id], '2040-01-01', true);
      expect(results.map((r) => [r.outcome, r.name === 'unknown'])).toEqual([
        ['refused', false],
        ['refused', true],
      ]);
      const trial = await override('keeper', [id], '2040-01-01', true);
      const dry = trial.results[0]!;
      expect([trial.effect!.looked, trial.effect!.shift.later, trial.effect!.most[0]]).toEqual([
        1,
        1,
        { id, number: dry.name.split(' ')[0]!, title: jasmine.any(String), before: '2030-01-10', after: '2040-01-01' },
      ]);
      // What is refused is not in the effect, and what was carried out has none.
      expect((await override('editor', [id], '2040-01-01', true)).effect).toBeNull();
      expect([dry.outcome, dry.before, dry.after]).toEqual(['done', '10 Jan 2030 (R-SERIES)', '1 Jan 2040']);
      expect((await dossier(id)).dueOn).toBe('2030-01-10');
    });

    chapter('jurisdictions are set on many records with their effect seen first; none: those of the place', async () => {
      const { id } = await world.file('editor', { place: world.ids.A02 });
      await keeper().call(schedule.makeJurisdiction, { body: { name: 'Harbour', partOf: null } });
      await world.rule('R-HARBOUR', world.ids.A02, years(6, { jurisdictions: ['Harbour'] }));
      const set = (login: Login, jurisdictions: string[], dryRun = false) =>
        world.as(login).call(schedule.override, {
          body: { ids: [id], override: { kind: 'jurisdictions', jurisdictions }, reason: 'moved there', dryRun },
        });
      const before = await dossier(id);
      const tried = await set('keeper', ['Harbour'], true);
      expect([tried.results[0]!.outcome, tried.effect!.changed]).toEqual(['done', 1]);
      expect((await dossier(id)).jurisdictions).toEqual([]);
      expect((await set('editor', ['Harbour'])).results[0]!.outcome).toBe('refused');
      expect(await problemOf(set('keeper', ['Nowhere']))).toContain('no jurisdiction Nowhere');
      await set('keeper', ['Harbour']);
      const there = await dossier(id);
      expect([there.jurisdictions, there.why.governing?.code, there.dueOn]).toEqual([
        ['Harbour'],
        'R-HARBOUR',
        tried.effect!.most[0]!.after,
      ]);
      expect((await set('keeper', ['Harbour'])).results[0]!.outcome).toBe('skipped');
      // While a record is in it, it cannot be removed.
      expect(await problemOf(keeper().call(schedule.dropJurisdiction, { body: { name: 'Harbour' } }))).toContain('records');
      await set('keeper', []);
      expect((await dossier(id)).dueOn).toBe(before.dueOn);
      const entries = await world.as('auditor').call(ledger.entries, { query: { act: 'set jurisdictions', limit: 10 } });
      expect(entries.entries.length).toBe(2);
    });

    chapter('a rule by hand works on declared and held records, and follows its new versions', async () => {
      const { id } = await world.file('editor');
      await world.as('steward').call(records.declare, { body: { ids: [id] } });
      const ruleId = await published('R-HAND', years(8));
      const body = { ids: [id], override: { kind: 'rule' as const, ruleId }, reason: 'by hand', dryRun: false };
      expect((await world.as('steward').call(schedule.override, { body })).results[0]!.outcome).toBe('done');
      expect((await dossier(id)).dueOn).toBe('2033-01-10');
      await keeper().call(schedule.saveDraft, { params: { id: ruleId }, body: { revision: 2, definition: years(12) } });
      const { jobId } = await keeper().call(schedule.publish, {
        params: { id: ruleId },
        body: { revision: 3, inForceFrom: '2026-01-01', takesOver: 'all' },
      });
      await world.services.jobs.settled(jobId);
      const found = await dossier(id);
      expect([found.dueOn, found.why.override?.reason]).toEqual(['2037-01-10', 'by hand']);
      const { explanation } = await keeper().call(schedule.ruleOnDay, { params: { id }, query: { on: '2020-06-01' } });
      expect([explanation.governing?.code, explanation.governing?.version, explanation.dueOn]).toEqual(['R-HAND', 1, '2033-01-10']);
      const entries = await world.as('auditor').call(ledger.entries, { query: { act: 'set an override', limit: 50 } });
      expect(JSON.stringify(entries)).toContain(id);
    });
  });

  chapter('the check finds what is wrong, each with its mend', async () => {
    await published('R-NOWHERE');
    await world.rule('R-OTHER', world.ids.A01, years(6));
    await world.rule('R-FACT', world.ids.A, years(3, { trigger: { kind: 'fact', fact: 'expires' } }));
    await world.file('editor', { place: world.ids.A02 });
    const { findings } = await keeper().call(schedule.check);
    const of = (kind: string): string[] => findings.filter((f) => f.kind === kind).map((f) => f.sentence);
    expect(of('ruleNeverUsed')).toContain('Rule R-NOWHERE is in force, but set nowhere.');
    expect(of('disagreement')).toContain(
      'Rules R-OTHER and R-SERIES are both set on A-01 and say different things; there the longer period counts.',
    );
    expect(of('ruleNeverDue')).toContain('Rule R-FACT can never come due: no record type has a date fact “expires”.');
    expect(of('factTypeLacks').length).toBe(1);
    for (const finding of findings) expect(finding.link).toMatch(/^\/(plan|schedule|find)/);
    expect(await statusOf(world.as('editor').call(schedule.check))).toBe(403);
    await keeper().call(plan.unsetRule, { params: { id: world.ids.A01 }, body: { ruleId: onSeries } });
  });
});

describe('events', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-EVENT', world.ids.A01, years(3, { trigger: { kind: 'event', eventType: 'lease ended', occurrence: 'last' } }));
  });
  afterAll(() => world.stop());
  const keeper = () => world.as('keeper');
  const due = async (id: string): Promise<string | null> => (await keeper().call(records.dossier, { params: { id } })).dueOn;

  it('on a record count for it alone; corrected they count anew, and both stay to be read', async () => {
    const [one, other] = [await world.file('editor'), await world.file('editor')];
    const { waiting } = await keeper().call(schedule.waiting);
    expect(waiting[0]!.trigger).toBe('event “lease ended”');
    expect(waiting[0]!.places.map((p) => [p.code, p.records])).toEqual([['A-01', 2]]);
    const event = { type: 'lease ended', on: '2020-05-01', note: '' };
    const { id } = await world.as('editor').call(schedule.addRecordEvent, { params: { id: one.id }, body: event });
    expect([await due(one.id), await due(other.id)]).toEqual(['2023-05-01', null]);
    await world
      .as('editor')
      .call(schedule.withdrawEvent, { params: { id }, body: { reason: 'a year off', instead: { ...event, on: '2021-05-01' } } });
    expect(await due(one.id)).toBe('2024-05-01');
    const { events } = await keeper().call(schedule.recordEvents, { params: { id: one.id } });
    expect(events.map((e) => [e.on, e.withdrawn?.reason ?? null, e.corrects])).toEqual([
      ['2021-05-01', null, id],
      ['2020-05-01', 'a year off', null],
    ]);
    const again = { params: { id }, body: { reason: 'once more' } };
    expect(await statusOf(world.as('editor').call(schedule.withdrawEvent, again))).toBe(409);
    await world.as('editor').call(schedule.withdrawEvent, { params: { id: events[0]!.id }, body: { reason: 'never happened' } });
    expect(await due(one.id)).toBeNull();
    expect(await statusOf(world.as('reader').call(schedule.addRecordEvent, { params: { id: one.id }, body: event }))).toBe(403);
    expect(
      await statusOf(world.as('editor').call(schedule.addRecordEvent, { params: { id: one.id }, body: { ...event, on: '2126-09-15' } })),
    ).toBe(422);
  });

  it('come from a table all at once, or not at all, with each error by row and column', async () => {
    const { id: folder } = await keeper().call(plan.makePlace, {
      body: { parentId: world.ids.A01, kind: 'folder', code: 'Q-1', title: 'Quay 1', note: '' },
    });
    const { id } = await world.file('editor', { place: folder });
    const load = (csv: string, dryRun = false) => keeper().call(schedule.importEvents, { body: { csv, dryRun } });
    const wrong = await load(
      'place,type,on,note\nA-01/Q-1,lease ended,2020-01-31,\nA-01/Q-9,lease ended,2020-01-31,\nA-01/Q-1,,31.1.2020,\nA-01/Q-1,lease ended,2130-01-01,x\nA-01/Q-1,lease endet,2020-01-31,\n',
    );
    expect(wrong.errors.map((e) => `${e.row} ${e.column}`)).toEqual(['3 place', '4 type', '4 on', '5 on', '6 type']);
    expect([wrong.rows, wrong.events, wrong.recomputed]).toEqual([5, 1, 0]);
    expect(await due(id)).toBeNull();
    const csv = '\uFEFFplace;type;on;note\r\na-01/q-1;lease ended;2020-01-31;"from; the ledger"\r\n';
    expect((await load(csv, true)).recomputed).toBe(1);
    expect(await due(id)).toBeNull();
    expect((await load(csv)).recomputed).toBe(1);
    expect(await due(id)).toBe('2023-01-31');
    expect((await keeper().call(schedule.placeEvents, { params: { id: folder } })).events[0]!.note).toBe('from; the ledger');
    expect(await statusOf(load('a,b\n1,2\n'))).toBe(422);
    const secret = await world
      .as('editor')
      .call(schedule.importEvents, { body: { csv: 'place,type,on\nB-01,x,2020-01-01\n', dryRun: true } });
    expect(secret.errors[0]!.sentence).toBe('there is no place B-01');
  });
});
