import { inEnglish } from '@key-cellar/words/testing';
import { docket, holds, receiving, records, schedule, steps } from '@key-cellar/contract';
import { civilDate } from '@key-cellar/core/calendar';
import { actOnBatch, batchStates, type BatchAct } from '@key-cellar/core/docket';
import { uuidv7 } from 'uuidv7';
import { asOwner, pastTheGuards } from './support/database.js';
import { eventually } from './support/eventually.js';
import { approvedBatch, executeAndWait, makeWorld, problemOf, statusOf, type World } from './support/world.js';

/** What happened between approval and execution counts: every item is judged again when its turn comes. */
describe('an approved batch', () => {
  let world: World;
  beforeEach(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
  });
  afterEach(() => world.stop());

  const due = (title: string, text?: string) =>
    world.file('editor', { createdOn: '2024-01-01', title, ...(text === undefined ? {} : { text }) });
  const state = async (id: string): Promise<string> => (await world.as('keeper').call(records.dossier, { params: { id } })).state;
  const itemOf = async (batchId: string, recordId: string) =>
    (await world.as('keeper').call(docket.batch, { params: { id: batchId } })).items.find((i) => i.recordId === recordId)!;

  it('keeps a record with an objection that came in after approval and is not answered', async () => {
    const kept = await due('Objected to');
    const goes = await due('Goes');
    const batchId = await approvedBatch(world);
    await world.pool.query(
      `insert into objection (id, batch_id, record_id, by_id, reason, made_at) values ($1, $2, $3, $4, 'late', now())`,
      [uuidv7(), batchId, kept.id, world.ids.editor],
    );
    expect(await executeAndWait(world, batchId)).toBe('1 destroyed, 1 not.');
    expect([await state(kept.id), await state(goes.id)]).toEqual(['working', 'disposed']);
    expect((await itemOf(batchId, kept.id)).outcome).toBe('objected');
  });

  it('goes on when one item fails, which stays and says so', async () => {
    const bad = await due('Fails');
    await due('Goes');
    await due('Goes too');
    const batchId = await approvedBatch(world);
    await asOwner(world.database, (client) =>
      client.query(
        `create function fail() returns trigger language plpgsql as $$ begin
           if new.id = '${bad.id}' and new.state = 'disposed' then raise exception 'the disk has a hole'; end if; return new; end $$;
         create trigger fails before update on record for each row execute function fail()`,
      ),
    );
    expect(await executeAndWait(world, batchId)).toBe('2 destroyed, 1 not.');
    expect(await state(bad.id)).toBe('working');
    const item = await itemOf(batchId, bad.id);
    expect(item.outcome).toBe('dropped');
    expect(item.reason).toBe('It could not be destroyed. The server’s log says why.');
    // It is due again, and goes with the next batch.
    await asOwner(world.database, (client) => client.query('drop trigger fails on record'));
    expect(await executeAndWait(world, await approvedBatch(world))).toBe('1 destroyed, 0 not.');
  });

  it('tries again what PostgreSQL gave up so that others could go on', async () => {
    const often = await due('Waited for in a circle');
    await due('Goes at once');
    const batchId = await approvedBatch(world);
    await asOwner(world.database, (client) =>
      client.query(
        `create sequence circles; grant usage on sequence circles to public;
         create function circle() returns trigger language plpgsql as $$ begin
           if new.id = '${often.id}' and new.state = 'disposed' and nextval('circles') < 4 then
             raise exception 'deadlock detected' using errcode = '40P01'; end if; return new; end $$;
         create trigger circles before update on record for each row execute function circle()`,
      ),
    );
    expect(await executeAndWait(world, batchId)).toBe('2 destroyed, 0 not.');
    await asOwner(world.database, (client) => client.query('drop trigger circles on record'));
  });

  it('says of a content that several records had with which it went', async () => {
    const text = `shared ${Math.random()}`;
    const [first, second] = [await due('Same words', text), await due('Same words again', text)];
    const own = await due('Own words');
    expect(await executeAndWait(world, await approvedBatch(world))).toBe('3 destroyed, 0 not.');
    const dropped = await world.pool.query<{ id: string; dropped: number; kept: number }>(
      `select subject_id as id, (body::jsonb->'after'->>'contentsDropped')::int as dropped, (body::jsonb->'after'->>'contentsKeptForOthers')::int as kept
       from ledger_entry where act = 'destroyed' and subject_id = any ($1::uuid[])`,
      [[first.id, second.id, own.id]],
    );
    const of = (id: string) => dropped.rows.find((r) => r.id === id)!;
    expect([of(own.id).dropped, of(own.id).kept]).toEqual([1, 0]);
    expect([of(first.id).dropped + of(second.id).dropped, of(first.id).kept + of(second.id).kept]).toEqual([1, 1]);
  });

  it('waits while the disk of the database is full, says so, and goes on by itself when it is not', async () => {
    for (const title of ['One', 'Two']) await due(title);
    const batchId = await approvedBatch(world);
    await asOwner(world.database, (client) =>
      client.query(
        `create function full_disk() returns trigger language plpgsql as $$ begin raise exception 'no space' using errcode = '53100'; end $$;
         create trigger full_disk before update on batch_item for each row execute function full_disk()`,
      ),
    );
    const { jobId } = await world.as('keeper').call(docket.execute, { params: { id: batchId } });
    const job = () => world.as('keeper').call(schedule.job, { params: { id: jobId } });
    await eventually(async () => (await job()).sentence.includes('There is no room on the disk of the database'));
    expect((await job()).state).toBe('running');
    await asOwner(world.database, (client) => client.query('drop trigger full_disk on batch_item'));
    expect(inEnglish((await world.services.jobs.settled(jobId)).told)).toBe('2 destroyed, 0 not.');
  });

  it('keeps a record that was put off meanwhile', async () => {
    const kept = await due('Put off');
    await due('Goes');
    const batchId = await approvedBatch(world);
    await world.pool.query(`update record set deferred_until = '2030-01-01', deferred_reason = 'the court' where id = $1`, [kept.id]);
    expect(await executeAndWait(world, batchId)).toBe('1 destroyed, 1 not.');
    expect(await state(kept.id)).toBe('working');
    expect((await itemOf(batchId, kept.id)).outcome).toBe('deferred');
  });

  it('is executed once, however often it is asked for', async () => {
    for (let i = 0; i < 12; i++) await due(`One of twelve ${i}`);
    const batchId = await approvedBatch(world);
    const started: string[] = [];
    const execute = () =>
      statusOf(
        world
          .as('keeper')
          .call(docket.execute, { params: { id: batchId } })
          .then(({ jobId }) => started.push(jobId)),
      );
    const answers = await Promise.all([execute(), execute(), execute()]);
    expect(answers.sort()).toEqual([200, 409, 409]);
    expect(started.length).toBe(1);
    await world.services.jobs.settled(started[0]!);
    expect(await execute()).toBe(409);
    const done = await world.pool.query(`select count(*)::int as n from ledger_entry where act = 'destroyed'`);
    expect(done.rows[0].n).toBe(12);
  });

  it('is not approved by its proposer alone, and an objection in it is answered once', async () => {
    const { id: recordId } = await due('Alone');
    await due('Beside it');
    const keeper = world.as('keeper');
    await keeper.call(steps.sweep);
    const [group] = (await keeper.call(docket.due)).groups;
    const { id } = await keeper.call(docket.propose, {
      body: { groupKey: group!.key, noticeDays: group!.noticeDays, announce: true },
    });
    const params = { id };
    await world.as('editor').call(docket.object, { params, body: { recordId, reason: 'still needed' } });
    const { objectionList, noticeUntil } = await keeper.call(docket.batch, { params });
    const answer = { params: { id: objectionList[0]!.id }, body: { keep: false as const, answer: 'it goes on' } };
    await keeper.call(docket.answer, answer);
    expect(await problemOf(keeper.call(docket.answer, answer))).toBe('This objection was already answered.');
    await world.setToday(new Date(Date.parse(noticeUntil!) + 86_400_000).toISOString().slice(0, 10));
    await keeper.call(docket.approve, { params, body: { note: '' } });
    expect((await keeper.call(docket.batch, { params })).state).toBe('notice');
    expect(await problemOf(keeper.call(docket.execute, { params }))).toBe('Only an approved batch can be executed.');
    await world.as('approver').call(docket.approve, { params, body: { note: '' } });
    expect(await executeAndWait(world, id)).toBe('2 destroyed, 0 not.');
  });

  it('is done to only in the states that the core allows', async () => {
    const { id: recordId } = await due('In a batch');
    const id = await approvedBatch(world);
    const keeper = world.as('keeper');
    const params = { id };
    const tries: [BatchAct, () => Promise<unknown>][] = [
      [{ kind: 'announce' }, () => keeper.call(docket.announce, { params })],
      [{ kind: 'object' }, () => world.as('editor').call(docket.object, { params, body: { recordId, reason: 'still needed' } })],
      [
        { kind: 'approve', by: world.ids.deputy, groups: [] },
        () => world.as('deputy').call(docket.approve, { params, body: { note: '' } }),
      ],
      [{ kind: 'reject', by: world.ids.approver }, () => world.as('approver').call(docket.reject, { params, body: { reason: 'not so' } })],
      [{ kind: 'execute' }, () => keeper.call(docket.execute, { params })],
      [{ kind: 'withdraw' }, () => keeper.call(docket.withdraw, { params, body: { reason: 'not so' } })],
    ];
    const { noticeUntil } = await keeper.call(docket.batch, { params });
    let refused = 0;
    for (const state of batchStates) {
      await pastTheGuards(world.database, (client) => client.query('update batch set state = $2 where id = $1', [id, state]));
      for (const [act, does] of tries) {
        const standing = {
          state,
          proposedBy: world.ids.keeper,
          approvalsNeeded: 1,
          approvals: [],
          approverGroups: [],
          noticeUntil: civilDate(noticeUntil!),
        };
        const said = actOnBatch(standing, act, civilDate(noticeUntil!) + 1);
        if (typeof said === 'string') continue;
        refused += 1;
        expect(await problemOf(does()))
          .withContext(`${act.kind}, ${state}`)
          .toBe(inEnglish(said.sentence));
      }
    }
    expect(refused).toBeGreaterThan(20);
  });

  it('takes no word of a person that a held item is gone, nor of one that does not wait', async () => {
    const keeper = world.as('keeper');
    const paper = {
      recordType: 'note',
      placeId: world.ids.A01,
      createdOn: '2024-01-01',
      facts: { topic: 'charts' },
      containerId: world.ids.box,
    };
    const { recordId: held } = await keeper.call(receiving.describePhysical, { body: { ...paper, title: 'Chart roll' } });
    const { recordId: free } = await keeper.call(receiving.describePhysical, { body: { ...paper, title: 'Chart sheet' } });
    const batchId = await approvedBatch(world);
    expect(await executeAndWait(world, batchId)).toBe('0 destroyed, 0 not, 2 wait for a person.');
    const counsel = world.as('counsel');
    const { id: matterId } = await counsel.call(holds.makeMatter, { body: { code: 'M', title: 'M', kind: 'audit', note: '' } });
    await counsel.call(holds.placeHold, {
      body: { matterId, name: 'Late', reason: 'an audit', freeze: false, recordIds: [held], custodianIds: [] },
    });
    const confirm = (...recordIds: string[]) =>
      problemOf(
        keeper.call(docket.confirm, {
          params: { id: batchId },
          body: { recordIds, on: '2026-09-14', method: 'shredded', witness: 'A. Witness' },
        }),
      );
    expect(await confirm(free, held)).toContain('is held. If it is gone all the same, tell counsel now.');
    expect([await state(free), await state(held)]).toEqual(['working', 'working']);
    expect(await confirm(free)).toBe('done');
    expect(await confirm(free)).toContain('does not wait for a person');
    expect([await state(free), await state(held)]).toEqual(['disposed', 'working']);
  });
});
