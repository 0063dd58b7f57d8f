import type { Spoken } from '@key-cellar/words/spoken';
import { plan, records, schedule, type RuleDefinition } from '@key-cellar/contract';
import type { Explanation } from '@key-cellar/core/schedule';
import { chapters } from './support/chapters.js';
import { asApplication, asOwner } from './support/database.js';
import { makeWorld, problemOf, ruleDefinition, today, type World, revisionOf } from './support/world.js';

const years = (n: number, changes: Partial<RuleDefinition> = {}): RuleDefinition =>
  ruleDefinition({
    title: `${n} years`,
    cutoff: { kind: 'none' },
    steps: [{ kind: 'destroy', after: `P${n}Y`, from: 'clockStart', approvals: 1, noticeDays: 0 }],
    ...changes,
  });
const dayAfter = (n: number): string => new Date(Date.parse(today) + n * 86_400_000).toISOString().slice(0, 10);

describe('a day of the past', () => {
  const chapter = chapters();
  let world: World;
  let day = 0;
  const keeper = () => world.as('keeper');
  const onDay = (id: string, on: string, known?: string, login: 'keeper' | 'editor' = 'keeper') =>
    world.as(login).call(schedule.ruleOnDay, { params: { id }, query: { on, known } });
  /** What the record says of itself now, without the holds, which only now has. */
  const now = async (id: string): Promise<Spoken<Explanation>> => ({
    ...(await keeper().call(records.dossier, { params: { id } })).why,
    holds: [],
  });
  const next = async (): Promise<string> => {
    const date = dayAfter(++day);
    await world.setToday(date);
    return date;
  };
  const page = (id: string) => keeper().call(plan.place, { params: { id } });
  async function publish(id: string, definition: RuleDefinition, inForceFrom: string): Promise<void> {
    const { revision } = await keeper().call(schedule.rule, { params: { id } });
    const draft = await keeper().call(schedule.saveDraft, { params: { id }, body: { revision, definition } });
    const { jobId } = await keeper().call(schedule.publish, {
      params: { id },
      body: { revision: draft.revision, inForceFrom, takesOver: 'all' },
    });
    if (jobId) await world.services.jobs.settled(jobId);
  }

  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  chapter('says of every day what the record said on it, whatever was changed since', async () => {
    const { ids } = world;
    const onSeries = await world.rule('R-SERIES', ids.A01, years(3));
    const other = await world.rule('R-OTHER', ids.A02, years(5));
    const spare = await world.rule('R-SPARE', ids.B01, years(6));
    const event = await world.rule('R-EVENT', ids.B01, years(2, { trigger: { kind: 'event', eventType: 'ended', occurrence: 'last' } }));
    const used = await world.rule('R-USED', ids.B01, years(4, { trigger: { kind: 'recordDate', date: 'lastUsed' } }));
    const newer = await world.rule('R-NEWER', ids.B01, years(4, { trigger: { kind: 'recordDate', date: 'superseded' } }));
    const closing = await world.rule('R-CLOSE', ids.B01, years(1, { trigger: { kind: 'folderClosed' } }));
    const declared = await world.rule('R-DECL', ids.B01, years(7, { trigger: { kind: 'recordDate', date: 'declared' } }));
    await keeper().call(schedule.makeJurisdiction, { body: { name: 'North', partOf: null } });
    await keeper().call(schedule.makeJurisdiction, { body: { name: 'Land', partOf: null } });
    const northern = await world.rule('R-NORTH', ids.B01, years(20, { jurisdictions: ['North'] }));
    const folder = (
      await world.as('editor').call(plan.makePlace, { body: { parentId: ids.A01, kind: 'folder', code: 'F-1', title: 'F', note: '' } })
    ).id;
    const { id } = await world.file('editor', { place: folder, facts: { topic: 'lease', ended: '2024-05-05' } });
    const many = { ids: [id], reason: 'so decided' };
    const set = (placeId: string, ruleId: string) => keeper().call(plan.setRule, { params: { id: placeId }, body: { ruleId } });
    const unset = (placeId: string, ruleId: string) => keeper().call(plan.unsetRule, { params: { id: placeId }, body: { ruleId } });
    const override = (to: object | null) => keeper().call(schedule.override, { body: { ...many, override: to as never, dryRun: false } });
    const edit = async (createdOn: string, facts: Record<string, string>) => {
      const { revision, title } = await keeper().call(records.dossier, { params: { id } });
      await world.as('editor').call(records.editFacts, { params: { id }, body: { revision, title, createdOn, facts } });
    };
    const move = (placeId: string) => keeper().call(records.move, { body: { ...many, placeId, dryRun: false } });
    let ended = '';
    const acts: [string, () => Promise<unknown>][] = [
      ['nothing', () => Promise.resolve()],
      ['the date of the document', () => edit('2023-03-03', { topic: 'lease', ended: '2024-05-05' })],
      ['another rule on the folder', () => set(folder, other)],
      [
        'a rule for the type in the series',
        () => keeper().call(schedule.setPair, { body: { recordType: 'note', seriesId: ids.A01, ruleId: spare } }),
      ],
      ['none for it', () => keeper().call(schedule.unsetPair, { body: { recordType: 'note', seriesId: ids.A01, ruleId: spare } })],
      ['none on the folder', () => unset(folder, other)],
      ['a date by hand', () => override({ kind: 'date', dueOn: '2050-01-01', action: 'destroy' })],
      ['a rule by hand', () => override({ kind: 'rule', ruleId: spare })],
      ['nothing by hand', () => override(null)],
      ['a new version of the rule', () => publish(onSeries, years(8), dayAfter(day))],
      [
        'a jurisdiction of the series',
        async () => {
          await set(ids.A01, northern);
          await keeper().call(schedule.placeJurisdictions, {
            params: { id: ids.A01 },
            body: { revision: await revisionOf(world, ids.A01), jurisdictions: ['North'] },
          });
        },
      ],
      [
        'another jurisdiction',
        async () =>
          keeper().call(schedule.placeJurisdictions, {
            params: { id: ids.A01 },
            body: { revision: await revisionOf(world, ids.A01), jurisdictions: ['Land'] },
          }),
      ],
      ['that is part of the first', () => keeper().call(schedule.moveJurisdiction, { body: { name: 'Land', partOf: 'North' } })],
      [
        'no jurisdiction',
        async () =>
          keeper().call(schedule.placeJurisdictions, {
            params: { id: ids.A01 },
            body: { revision: await revisionOf(world, ids.A01), jurisdictions: [] },
          }),
      ],
      [
        'a rule by an event',
        async () => {
          await set(folder, event);
          await unset(ids.A01, northern);
        },
      ],
      [
        'the event',
        async () =>
          (ended = (await keeper().call(schedule.addRecordEvent, { params: { id }, body: { type: 'ended', on: dayAfter(day), note: '' } }))
            .id),
      ],
      ['the event taken back', () => keeper().call(schedule.withdrawEvent, { params: { id: ended }, body: { reason: 'wrong file' } })],
      [
        'an event on the folder, announced',
        () => keeper().call(plan.recordEvent, { params: { id: folder }, body: { type: 'ended', on: '2028-01-01', note: '' } }),
      ],
      ['moved', () => move(ids.A02)],
      ['moved back', () => move(folder)],
      [
        'a rule by use',
        async () => {
          await unset(folder, event);
          await set(folder, used);
        },
      ],
      [
        'read',
        () =>
          keeper()
            .fetch(`/api/records/${id}/content`)
            .then((r) => r.arrayBuffer()),
      ],
      [
        'read again',
        () =>
          keeper()
            .fetch(`/api/records/${id}/content`)
            .then((r) => r.arrayBuffer()),
      ],
      [
        'a rule by a newer version',
        async () => {
          await unset(folder, used);
          await set(folder, newer);
        },
      ],
      [
        'a newer version',
        async () => {
          const arrivalId = await world.as('editor').upload('again.txt', 'The second version.');
          await world.as('editor').call(records.addVersion, { params: { id }, body: { arrivalId, note: '' } });
        },
      ],
      [
        'a third',
        async () => {
          const arrivalId = await world.as('editor').upload('again.txt', 'The third version.');
          await world.as('editor').call(records.addVersion, { params: { id }, body: { arrivalId, note: '' } });
        },
      ],
      [
        'a rule by the closing',
        async () => {
          await unset(folder, newer);
          await set(folder, closing);
        },
      ],
      ['closed', () => world.as('steward').call(plan.closeFolder, { params: { id: folder }, body: { on: dayAfter(day) } })],
      ['opened again', () => world.as('steward').call(plan.reopenFolder, { params: { id: folder }, body: { reason: 'works on' } })],
      ['a closing ahead', () => world.as('steward').call(plan.closeFolder, { params: { id: folder }, body: { on: '2027-05-05' } })],
      [
        'a rule by declaring',
        async () => {
          await unset(folder, closing);
          await set(folder, declared);
        },
      ],
      ['declared', () => world.as('steward').call(records.declare, { body: { ids: [id] } })],
      ['revoked', () => keeper().call(records.revoke, { body: many })],
      [
        'the folder elsewhere',
        async () => {
          await unset(folder, declared);
          await world.as('steward').call(plan.reopenFolder, { params: { id: folder }, body: { reason: 'moves' } });
          const { revision } = await page(folder);
          await keeper().call(plan.movePlace, { params: { id: folder }, body: { revision, parentId: ids.A02, dryRun: false } });
        },
      ],
      [
        'another code of the series',
        async () => {
          const { revision, title, note, notHere, message } = await page(ids.A02);
          await keeper().call(plan.editPlace, { params: { id: ids.A02 }, body: { revision, code: 'A-22', title, note, notHere, message } });
        },
      ],
      ['a version announced', () => publish(other, years(11), dayAfter(day + 2))],
      ['a day before it', () => Promise.resolve()],
      ['in force', () => Promise.resolve()],
    ];
    const said: [string, string, Spoken<Explanation>][] = [];
    for (const [name, act] of acts) {
      const date = await next();
      await act();
      // What comes into force by itself is dated by the sweep; the explanation is of today anyway.
      said.push([name, date, await now(id)]);
    }
    expect(new Set(said.map(([, , why]) => JSON.stringify(why))).size)
      .withContext('different answers')
      .toBeGreaterThan(24);
    for (const [name, date, why] of said) {
      const { explanation, since } = await onDay(id, date, date);
      expect(explanation).withContext(`${date}: ${name}`).toEqual(why);
      expect(since).toBeNull();
    }
  });

  chapter('tells what was known then from what is known now', async () => {
    const { ids } = world;
    const start = await next();
    const rule = await world.rule(
      'R-LEASE',
      ids.A01,
      years(2, { trigger: { kind: 'event', eventType: 'lease ended', occurrence: 'last' } }),
    );
    for (const { id: ruleId, here } of (await page(ids.A01)).setRules) {
      if (here && ruleId !== rule) await keeper().call(plan.unsetRule, { params: { id: ids.A01 }, body: { ruleId } });
    }
    const { id } = await world.file('editor');
    const late = await next();
    const { id: eventId } = await keeper().call(schedule.addRecordEvent, {
      params: { id },
      body: { type: 'lease ended', on: start, note: '' },
    });
    const mended = await next();
    await keeper().call(schedule.withdrawEvent, {
      params: { id: eventId },
      body: { reason: 'a typo', instead: { type: 'lease ended', on: '2020-02-02', note: '' } },
    });
    const published = await next();
    await publish(rule, years(9, { trigger: { kind: 'event', eventType: 'lease ended', occurrence: 'last' } }), start);
    const dueOn = async (on: string, known?: string) => (await onDay(id, on, known)).explanation.dueOn;
    const plus = (date: string, n: number) => `${Number(date.slice(0, 4)) + n}${date.slice(4)}`;
    expect(await dueOn(start, start))
      .withContext('nothing was entered')
      .toBeNull();
    expect(await dueOn(start, late))
      .withContext('entered later')
      .toBe(plus(start, 2));
    expect(await dueOn(start, mended))
      .withContext('and mended')
      .toBe('2022-02-02');
    expect(await dueOn(start, published))
      .withContext('by a version published later')
      .toBe('2029-02-02');
    expect(await dueOn(start)).toBe('2029-02-02');
    expect(await dueOn(late, late)).toBe(plus(start, 2));
    // Before this repository was: as it was when it began, and said so.
    expect((await onDay(id, '2020-06-01')).since).toBe(today);
    expect(await problemOf(onDay(id, start, '2020-06-01'))).toContain('Nothing was known of it then');
    expect(await problemOf(onDay(id, start, '2999-01-01'))).toContain('not known yet');
  });

  chapter('does not name a place of before that one may not know of', async () => {
    const { ids } = world;
    const hidden = (
      await keeper().call(plan.makePlace, { body: { parentId: ids.B01, kind: 'folder', code: 'HIDDEN', title: 'Hidden', note: '' } })
    ).id;
    const rule = await world.rule('R-HID', hidden, years(4));
    const { id } = await world.file('keeper', { place: hidden });
    const before = await next();
    await next();
    await keeper().call(records.move, { body: { ids: [id], reason: 'wrong place', placeId: ids.A01, dryRun: false } });
    const seen = async (login: 'keeper' | 'editor') => (await onDay(id, before, before, login)).explanation.governing?.setOn;
    expect(await seen('keeper')).toBe('folder HIDDEN');
    expect(await seen('editor')).toBe('folder (not shown to you)');
    expect(rule).toBeTruthy();
  });

  chapter('is kept as it was, by everybody, and goes with what is disposed of', async () => {
    const { rows } = await world.pool.query<{ key: string }>(`select key from past where of = 'record' limit 1`);
    const [{ key }] = rows as [{ key: string }];
    const one = await world.pool.query<{ key: string }>(`select key from past where of = 'place_rule' limit 1`);
    for (const as of [asApplication, asOwner]) {
      for (const sql of [
        'update past set was = null',
        `delete from past where key = '${key}'`,
        `delete from past where key = '${one.rows[0]!.key}'`,
        'truncate past',
      ]) {
        await expectAsync(as(world.database, (client) => client.query(sql)))
          .withContext(sql)
          .toBeRejected();
      }
    }
    await expectAsync(world.pool.query(`insert into past (of, key, until) values ('record', 'x', now())`)).toBeRejected();
    await expectAsync(world.pool.query(`select as_it_was('session', '2026-01-01')`)).toBeRejectedWithError(/no past is kept/);
    await asOwner(world.database, (client) =>
      client.query(`update record set state = 'disposed', disposed_on = '2026-09-14' where id = $1`, [key]),
    );
    expect((await world.pool.query(`select from past where key = $1`, [key])).rowCount).toBe(0);
  });
});
