import { holds, records } from '@key-cellar/contract';
import { hasRight, shippedProfiles } from '@key-cellar/core/access';
import { actOnBatch, batchStates, type BatchAct } from '@key-cellar/core/docket';
import type pg from 'pg';
import { asApplication, asOwner, pastTheGuards } from './support/database.js';
import { makeWorld, type Login, type World } from './support/world.js';

/** What somebody with the application's own role could try, past every service. */
describe('straight in SQL, with the application’s role and as the owner', () => {
  let world: World;
  let declared: { id: string };
  let held: { id: string };
  let working: { id: string };
  /** Declared, and held then. */
  let bound: { id: string };
  let holdId: string;
  let matterId: string;

  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
    declared = await world.file('editor', { title: 'Declared' });
    held = await world.file('editor', { title: 'Held' });
    working = await world.file('editor', { title: 'Working' });
    bound = await world.file('editor', { title: 'Bound' });
    await world.as('steward').call(records.declare, { body: { ids: [declared.id, bound.id] } });
    const counsel = world.as('counsel');
    ({ id: matterId } = await counsel.call(holds.makeMatter, { body: { code: 'M', title: 'M', kind: 'audit', note: '' } }));
    await counsel.call(holds.placeHold, {
      body: { matterId, name: 'B', reason: 'an audit', freeze: false, recordIds: [bound.id], custodianIds: [] },
    });
    const placed = await counsel.call(holds.placeHold, {
      body: { matterId, name: 'H', reason: 'an audit', freeze: true, recordIds: [held.id], custodianIds: [] },
    });
    holdId = placed.id;
  });
  afterAll(() => world.stop());

  const deadlock = '40P01';
  /**
   * Asserts which refusal it is, by its SQLSTATE: first as the application's role, then as the owner of the database. 42501 is a
   * missing grant, KC0xx a guard; `done` says that the owner is not held back, and that only the missing grant protects.
   */
  const refused = async (sql: string, values: unknown[], asTheApplication: string, asTheOwner: string): Promise<void> => {
    const codes: string[] = [];
    for (const as of [asApplication, asOwner]) {
      await as(world.database, async (client: pg.Client) => {
        const attempt = async (): Promise<string> => {
          await client.query('begin');
          const code = await client.query(sql, values).then(
            () => 'done',
            (error: { code?: string }) => error.code ?? 'no code',
          );
          await client.query('rollback');
          // What the running server does meanwhile may stand in the way of locks on whole tables: that is no refusal.
          return code === deadlock ? attempt() : code;
        };
        codes.push(await attempt());
      });
    }
    expect(codes).withContext(sql).toEqual([asTheApplication, asTheOwner]);
  };
  const one = (sql: string) => world.pool.query(sql).then((r) => r.rows[0] as Record<string, unknown>);

  it('a declared record keeps title, facts, date, number, content and place', async () => {
    for (const change of [
      `title = 'other'`,
      `facts = '{}'`,
      `created_on = '1999-01-01'`,
      `number = 'X-1'`,
      `version_no = 9`,
      `size = 1`,
      `frozen = '{}'`,
      `declared_on = null`,
    ]) {
      await refused(`update record set ${change} where id = $1`, [declared.id], 'KC003', 'KC003');
    }
    for (const state of ['working', 'disposed']) {
      await refused(`update record set state = '${state}' where id = $1`, [declared.id], 'KC001', 'done');
    }
    await refused('update record set place_id = $2, series_id = $2 where id = $1', [declared.id, world.ids.A02], 'KC003', 'KC003');
    await refused('delete from record where id = $1', [declared.id], '42501', 'KC001');
  });

  it('a declared record leaves its series only where it is said why in the same transaction, and that stays', async () => {
    const move = 'update record set place_id = $2, series_id = $2 where id = $1';
    const say = `insert into reorganisation (id, made_by, reason) values (gen_random_uuid(), $1, $2)`;
    for (const as of [asApplication, asOwner]) {
      await as(world.database, async (client) => {
        await client.query('begin');
        await expectAsync(client.query(say, [world.ids.keeper, ' '])).toBeRejectedWithError(/reorganisation_reason_check/);
        await client.query('rollback');
        // What was said for another transaction does not count in this one.
        await client.query(say, [world.ids.keeper, 'An earlier one']);
        await expectAsync(client.query(move, [declared.id, world.ids.A02])).toBeRejectedWith(jasmine.objectContaining({ code: 'KC003' }));
        await client.query('begin');
        await client.query(say, [world.ids.keeper, 'The office moved']);
        await client.query(move, [declared.id, world.ids.A02]);
        await expectAsync(client.query(`update record set title = 'other' where id = $1`, [declared.id])).toBeRejectedWith(
          jasmine.objectContaining({ code: 'KC003' }),
        );
        await client.query('rollback');
      });
    }
    await refused(
      `insert into reorganisation (id, made_by, reason, xact) values (gen_random_uuid(), $1, 'x', '1')`,
      [world.ids.keeper],
      '42501',
      'done',
    );
    await refused(`update reorganisation set reason = 'other'`, [], '42501', 'KC001');
    await refused('delete from reorganisation', [], '42501', 'KC001');
    await refused('truncate reorganisation', [], '42501', 'KC001');
  });

  it('its versions and their bytes stay as they are', async () => {
    await refused('delete from version where record_id = $1', [declared.id], '42501', 'KC001');
    await refused(`update version set file_name = 'x' where record_id = $1`, [declared.id], '42501', 'KC001');
    await refused(
      'insert into version (record_id, no, content_id, file_name, media_type, made_by, made_at) select record_id, 2, content_id, file_name, media_type, made_by, now() from version where record_id = $1',
      [declared.id],
      'KC003',
      'KC003',
    );
    await refused(`update content_chunk set bytes = 'x'`, [], '42501', 'KC001');
    await refused('delete from content_chunk', [], '42501', 'done');
    await refused(`insert into content_chunk (content_id, seq, bytes) select id, 99, 'x' from content limit 1`, [], 'KC001', 'KC001');
    await refused(`update content set sha256 = sha256('x')`, [], 'KC001', 'KC001');
    await refused('update content set size = 0', [], 'KC001', 'KC001');
    await refused(`update content set tree = sha256('x')`, [], '42501', 'KC001');
    await refused(`update content_chunk set sha256 = sha256('x')`, [], '428C9', '428C9');
    await refused('delete from content', [], '23503', '23503');
    await refused('truncate content cascade', [], '42501', 'done');
    // What a version has is not dropped, and says so; nothing is left to a foreign key.
    for (const as of [asApplication, asOwner]) {
      const dropped = await as(world.database, (client: pg.Client) =>
        client.query('select drop_unused_content(content_id) as dropped from version where record_id = $1', [declared.id]),
      );
      expect(dropped.rows).toEqual([{ dropped: false }]);
    }
  });

  it('a held record stays, and its cover too', async () => {
    await refused(`update record set state = 'disposed' where id = $1`, [held.id], 'KC001', 'KC002');
    await refused(`update record set title = 'thaw' where id = $1`, [held.id], 'KC002', 'KC002');
    await refused('update hold_work set doing = $1', ['releasing'], '42501', 'done');
    await refused('delete from hold_part', [], '42501', 'done');
    await refused('select note_rack_held(array[$1::uuid], $2, 1)', [held.id, holdId], '42501', 'done');
    await refused('delete from hold_cover', [], '42501', 'done');
    await refused('update hold_cover set released_at = now()', [], '42501', '23514');
    await refused(`insert into hold_cover (hold_id, record_id, because) values ($1, $2, 'x')`, [holdId, working.id], '42501', 'done');
    await refused('delete from hold', [], '42501', 'KC001');
    await refused('update hold set freezes = false', [], '42501', 'KC001');
    await refused(`update hold set state = 'released'`, [], 'KC004', 'KC004');
    await refused(`select uncover($1, array[$2::uuid], $3, '')`, [holdId, held.id, world.ids.counsel], 'KC004', 'KC004');
    await refused('select dispose_records(array[$1::uuid], gen_random_uuid(), current_date)', [held.id], 'KC004', 'KC004');
  });

  it('a record frozen by a hold takes no new version and changes no fact; a record keeps its id', async () => {
    await refused(
      'insert into version (record_id, no, content_id, file_name, media_type, made_by, made_at) select record_id, 2, content_id, file_name, media_type, made_by, now() from version where record_id = $1',
      [held.id],
      'KC002',
      'KC002',
    );
    await refused('update record set place_id = $2 where id = $1', [held.id, world.ids.A02], 'KC002', 'KC002');
    await refused('update record set size = 1 where id = $1', [held.id], 'KC002', 'KC002');
    await refused('update record set id = gen_random_uuid() where id = $1', [working.id], '42501', 'KC001');
  });

  it('a hold that was released covers nothing more and stays released', async () => {
    const counsel = world.as('counsel');
    const { id } = await counsel.call(holds.placeHold, {
      body: { matterId, name: 'Over', reason: 'an audit', freeze: false, recordIds: [working.id], custodianIds: [] },
    });
    await counsel.call(holds.release, { params: { id }, body: { reason: 'it is over' } });
    await refused(`select place_cover($1, array[$2::uuid], 'again')`, [id, working.id], 'KC004', 'KC004');
    await refused(`update hold set state = 'open' where id = $1`, [id], 'KC001', 'KC001');
    await refused(`update hold set name = 'Other' where id = $1`, [id], '42501', 'KC001');
    for (const change of [`criteria = '{}'`, `placed_at = now()`, `scope_sql = 'true'`]) {
      await refused(`update hold set ${change} where id = $1`, [holdId], '42501', 'KC001');
    }
  });

  /** A batch in which everything is as it must be for a record to leave, save what `changed` changes. */
  const batchOf = async (recordId: string, changed = ''): Promise<string> => {
    const { id } = (
      await pastTheGuards(world.database, (client) =>
        client.query(
          `with b as (insert into batch (id, number, action, what, state, approvals_needed, notice_days, proposed_by, proposed_on)
           values (gen_random_uuid(), 'D-' || gen_random_uuid(), 'destroy', 'x', 'executing', 1, 0, $2, current_date) returning id),
         i as (insert into batch_item (batch_id, record_id) select id, $1 from b),
         a as (insert into approval (batch_id, principal_id, decision, decided_on, decided_at) select id, $3, 'approve', current_date, now() from b)
         select id from b`,
          [recordId, world.ids.keeper, world.ids.approver],
        ),
      )
    ).rows[0] as { id: string };
    if (changed !== '') await pastTheGuards(world.database, (client) => client.query(changed, [id]));
    return id;
  };
  const spoilt: [string, string][] = [
    ['a batch that is approved, but not being executed', `update batch set state = 'approved' where id = $1`],
    ['a batch that was withdrawn', `update batch set state = 'withdrawn' where id = $1`],
    ['an item that was dropped', `update batch_item set outcome = 'dropped' where batch_id = $1`],
    ['an item that was put off', `update batch_item set outcome = 'deferred' where batch_id = $1`],
    ['nobody’s approval', 'delete from approval where batch_id = $1'],
    ['a refusal', `update approval set decision = 'reject' where batch_id = $1`],
    [
      'the approval of its proposer',
      'update approval a set principal_id = b.proposed_by from batch b where b.id = a.batch_id and b.id = $1',
    ],
    [
      'an objection that is not answered',
      `insert into objection (id, batch_id, record_id, by_id, reason, made_at)
       select gen_random_uuid(), i.batch_id, i.record_id, b.proposed_by, 'no', now() from batch_item i join batch b on b.id = i.batch_id where b.id = $1`,
    ],
    ['a transfer that no archive confirmed', `update batch set action = 'transfer' where id = $1`],
    [
      'a transfer whose receipt is of another record',
      `with t as (update batch set action = 'transfer' where id = $1)
       insert into transfer (batch_id, records, bag_name, bag_sha256, bag_size, made_on, receipt) values ($1, '{}', 'x.zip', sha256('x'), 1, current_date, '{}')`,
    ],
    [
      'a transfer whose bag has no receipt yet',
      `with t as (update batch set action = 'transfer' where id = $1)
       insert into transfer (batch_id, records, bag_name, bag_sha256, bag_size, made_on)
       select $1, array[record_id], 'x.zip', sha256('x'), 1, current_date from batch_item where batch_id = $1`,
    ],
  ];
  for (const [name, changed] of spoilt) {
    it(`nothing leaves by ${name}`, async () => {
      const id = await batchOf(working.id, changed);
      await refused('select dispose_records(array[$1::uuid], $2, current_date)', [working.id, id], 'KC004', 'KC004');
    });
  }
  it('what is said of a transfer never changes, and neither does its receipt', async () => {
    const id = await batchOf(
      working.id,
      `insert into transfer (batch_id, records, bag_name, bag_sha256, bag_size, made_on, receipt) values ($1, '{}', 'x.zip', sha256('x'), 1, current_date, '{}')`,
    );
    for (const change of [
      `records = array[gen_random_uuid()]`,
      `bag_name = 'y'`,
      `bag_sha256 = sha256('y')`,
      'bag_size = 2',
      `made_on = '2000-01-01'`,
    ]) {
      await refused(`update transfer set ${change} where batch_id = $1`, [id], '42501', 'KC001');
    }
    await refused(`update transfer set receipt = '{"a": 1}' where batch_id = $1`, [id], 'KC001', 'KC001');
    await refused(`update transfer set receipt = null where batch_id = $1`, [id], 'KC001', 'KC001');
  });

  it('a stub stays as it is', async () => {
    const id = await batchOf(working.id);
    for (const as of [asApplication, asOwner]) {
      await as(world.database, async (client: pg.Client) => {
        await client.query('begin');
        await client.query('select dispose_records(array[$1::uuid], $2, current_date)', [working.id, id]);
        await expectAsync(client.query(`update record set title = 'x' where id = $1`, [working.id])).toBeRejectedWith(
          jasmine.objectContaining({ code: 'KC001' }),
        );
        await client.query('rollback');
      });
    }
  });

  it('nothing leaves without an approved batch, not even what nobody holds', async () => {
    await refused(`update record set state = 'disposed' where id = $1`, [working.id], 'KC001', 'done');
    await refused('select dispose_records(array[$1::uuid], gen_random_uuid(), current_date)', [working.id], 'KC004', 'KC004');
    const made = `with b as (insert into batch (id, number, action, what, state, approvals_needed, notice_days, proposed_by, proposed_on)
      values (gen_random_uuid(), 'D-X', 'destroy', 'x', 'executing', 0, 0, $2, current_date) returning id),
      i as (insert into batch_item (batch_id, record_id) select id, $1 from b),
      a as (insert into approval (batch_id, principal_id, decision, decided_on, decided_at) select id, $2, 'approve', current_date, now() from b)
      select id from b`;
    const { id } = (await pastTheGuards(world.database, (client) => client.query(made, [working.id, world.ids.keeper]))).rows[0] as {
      id: string;
    };
    // Approved by nobody but its proposer.
    await refused('select dispose_records(array[$1::uuid], $2, current_date)', [working.id, id], 'KC004', 'KC004');
  });

  it('what is held does not leave even with a batch that everybody approved', async () => {
    const made = `with b as (insert into batch (id, number, action, what, state, approvals_needed, notice_days, proposed_by, proposed_on)
      values (gen_random_uuid(), 'D-Y', 'destroy', 'x', 'executing', 1, 0, $2, current_date) returning id),
      i as (insert into batch_item (batch_id, record_id) select id, unnest($1::uuid[]) from b),
      a as (insert into approval (batch_id, principal_id, decision, decided_on, decided_at) select id, $3, 'approve', current_date, now() from b)
      select id from b`;
    const { id } = (
      await pastTheGuards(world.database, (client) => client.query(made, [[held.id, working.id], world.ids.keeper, world.ids.approver]))
    ).rows[0] as { id: string };
    await refused('select dispose_records(array[$1::uuid], $2, current_date)', [held.id, id], 'KC002', 'KC002');
    // The same batch lets go of what nobody holds: it was the hold that refused.
    await asApplication(world.database, async (client) => {
      await client.query('begin');
      await expectAsync(client.query('select dispose_records(array[$1::uuid], $2, current_date)', [working.id, id])).toBeResolved();
      await client.query('rollback');
    });
  });

  it('revoking asks for a person and a reason, and never works on a held record', async () => {
    await refused(`select revoke_declaration($1, $2, ' ')`, [declared.id, world.ids.keeper], 'KC004', 'KC004');
    await refused(`select revoke_declaration($1, gen_random_uuid(), 'because')`, [declared.id], 'KC004', 'KC004');
    await refused(`select revoke_declaration($1, $2, 'because')`, [held.id, world.ids.keeper], 'KC004', 'KC004');
    await refused(`select revoke_declaration($1, $2, 'because')`, [bound.id, world.ids.keeper], 'KC002', 'KC002');
    await refused(`update record set state = 'working' where id = $1`, [bound.id], 'KC001', 'KC002');
  });

  it('ledger, published rules, certificates, tree heads only grow', async () => {
    await world.services.sealer.sealNow();
    const batchId = await batchOf(working.id);
    await pastTheGuards(world.database, (client) =>
      client.query(
        `insert into certificate (id, number, batch_id, issued_on, sha256, pdf) values (gen_random_uuid(), 'C-X', $1, current_date, 'x', 'x')`,
        [batchId],
      ),
    );
    for (const [table, truncating] of [
      ['ledger_entry', 'KC001'],
      ['rule_version', '0A000'],
      ['tree_head', '0A000'],
      ['certificate', 'KC001'],
    ] as const) {
      await refused(`delete from ${table}`, [], '42501', 'KC001');
      await refused(`truncate ${table}`, [], '42501', truncating);
    }
    await refused(`update ledger_entry set body = '{}'`, [], '42501', 'KC001');
    await refused(`update rule_version set definition = '{}'`, [], '42501', 'KC001');
    await refused(`update tree_head set root = 'x'`, [], '42501', 'KC001');
    await refused(`update certificate set pdf = 'x'`, [], '42501', 'KC001');
    await asOwner(world.database, (client) =>
      client.query(
        `insert into head_stamp (size, token, stamped_at, authority) select size, 'x', now(), 'x' from tree_head limit 1 on conflict do nothing`,
      ),
    );
    await refused(`update head_stamp set token = 'y'`, [], '42501', 'KC001');
    await refused('delete from head_stamp', [], '42501', 'KC001');
    await asOwner(world.database, (client) =>
      client.query(`insert into record_type_version (code, version, title, facts) values ('note', 1, 'Note', '[]') on conflict do nothing`),
    );
    await refused(`update record_type_version set title = 'x'`, [], '42501', 'KC001');
    await refused('delete from record_type_version', [], '42501', 'KC001');
    await refused('delete from ledger_tile', [], '42501', 'KC001');
    await refused('truncate ledger_tile', [], '42501', 'KC001');
    await refused(`update signing_key set public_key = 'x'`, [], '42501', 'KC001');
    await refused('delete from signing_key', [], '42501', 'KC001');
    await refused(`update head_witness set note = 'x'`, [], '42501', 'KC001');
    await refused('delete from head_witness', [], '42501', 'KC001');
    await refused('alter table ledger_entry disable trigger all', [], '42501', 'done');
    await refused('set session_replication_role = replica', [], '42501', 'done');
    await refused('drop trigger ledger_entry_fixed on ledger_entry', [], '42501', 'done');
    await refused('set role cellar_owner', [], '42501', 'done');
  });

  describe('a batch cannot be forged', () => {
    /** A batch as it is proposed, without a guard asleep; `more` goes on from there, its id is $1. */
    const proposed = `with b as (insert into batch (id, number, action, what, state, approvals_needed, notice_days, proposed_by, proposed_on)
      values (gen_random_uuid(), 'D-' || gen_random_uuid(), 'destroy', 'x', 'proposed', 1, 0, '${'KEEPER'}', current_date) returning id),
      i as (insert into batch_item (batch_id, record_id) select id, '${'RECORD'}' from b) select id from b`;
    const propose = async (): Promise<string> =>
      (await one(proposed.replace('KEEPER', world.ids.keeper).replace('RECORD', working.id)))['id'] as string;
    const inState = async (state: string): Promise<string> => {
      const id = await propose();
      await pastTheGuards(world.database, (client) =>
        client.query(`update batch set state = $2, announced_on = '2026-01-01', notice_until = '2026-01-02' where id = $1`, [id, state]),
      );
      return id;
    };

    it('by being born in another state, or jumping to one', async () => {
      for (const state of ['notice', 'approved', 'executing', 'done', 'withdrawn']) {
        await refused(
          `insert into batch (id, number, action, what, state, approvals_needed, notice_days, proposed_by, proposed_on)
           values (gen_random_uuid(), 'D-F', 'destroy', 'x', $1, 0, 0, $2, current_date)`,
          [state, world.ids.keeper],
          'KC004',
          'KC004',
        );
      }
      // Every way from state to state but those that the core knows.
      const day = 1000;
      const acts: BatchAct[] = [
        { kind: 'announce' },
        { kind: 'approve', by: 'somebody', groups: [] },
        { kind: 'reject', by: 'somebody' },
        { kind: 'execute' },
        { kind: 'finish' },
        { kind: 'withdraw' },
      ];
      for (const from of batchStates) {
        const standing = { state: from, proposedBy: 'keeper', approvalsNeeded: 1, approvals: [], approverGroups: [], noticeUntil: day };
        const ways = new Set(acts.map((act) => actOnBatch(standing, act, day + 1)).filter((to) => typeof to === 'string'));
        const id = await inState(from);
        for (const to of batchStates) {
          if (ways.has(to) || to === from) continue;
          await refused('update batch set state = $2 where id = $1', [id, to], 'KC004', 'KC004');
        }
      }
    });

    it('by an end of its notice that has not come, too few who agreed, or only its proposer', async () => {
      const short = await propose();
      await refused(`update batch set state = 'notice', announced_on = current_date where id = $1`, [short], 'KC004', 'KC004');
      await refused(
        `update batch set state = 'notice', announced_on = '2000-01-01', notice_until = '2000-01-01' where id = $1`,
        [short],
        'KC004',
        'KC004',
      );
      const id = await inState('notice');
      const approve = `update batch set state = 'approved' where id = $1`;
      await refused(approve, [id], 'KC004', 'KC004');
      const agreed = (by: string, on: string) =>
        pastTheGuards(world.database, (client) =>
          client.query(
            `insert into approval (batch_id, principal_id, decision, decided_on, decided_at) values ($1, $2, 'approve', current_date, now())`,
            [on, by],
          ),
        );
      await agreed(world.ids.keeper, id);
      await refused(approve, [id], 'KC004', 'KC004');
      await agreed(world.ids.approver, id);
      await refused(approve, [id], 'done', 'done');
      const open = await inState('notice');
      await pastTheGuards(world.database, (client) => client.query(`update batch set notice_until = '2099-01-01' where id = $1`, [open]));
      await agreed(world.ids.approver, open);
      await refused(approve, [open], 'KC004', 'KC004');
      const two = await inState('notice');
      await pastTheGuards(world.database, (client) => client.query('update batch set approvals_needed = 2 where id = $1', [two]));
      await agreed(world.ids.approver, two);
      await refused(approve, [two], 'KC004', 'KC004');
    });

    it('by the decision of somebody who is not there, may not, or is another', async () => {
      const id = await inState('notice');
      const decide = async (by: Login, { acting = world.ids[by] as string, batch = id, decision = 'approve' } = {}): Promise<string> =>
        asApplication(world.database, async (client) => {
          await client.query('begin');
          await client.query(`select set_config('cellar.acting', $1, true)`, [
            JSON.stringify({ id: acting, actor: '{}', from: '""', on: '""' }),
          ]);
          const came = await client
            .query(
              'insert into approval (batch_id, principal_id, decision, decided_on, decided_at) values ($1, $2, $3, current_date, now())',
              [batch, world.ids[by], decision],
            )
            .then(
              () => 'done',
              (error: { code?: string }) => error.code ?? 'no code',
            );
          await client.query('rollback');
          return came;
        });
      expect(await decide('approver')).toBe('done');
      expect(await decide('counsel')).toBe('done');
      expect(await decide('approver', { acting: world.ids.keeper })).toBe('KC004');
      for (const login of ['editor', 'reader', 'steward', 'auditor', 'depositor', 'outsider'] as const)
        expect(await decide(login))
          .withContext(login)
          .toBe('KC004');
      await refused(
        `insert into approval (batch_id, principal_id, decision, decided_on, decided_at) values ($1, $2, 'approve', current_date, now())`,
        [id, world.ids.approver],
        'KC004',
        'KC004',
      );
      expect(await decide('approver', { batch: await inState('proposed') })).toBe('KC004');
      expect(await decide('approver', { batch: await inState('approved') })).toBe('KC004');
      expect(await decide('approver', { batch: await inState('approved'), decision: 'reject' })).toBe('done');
      await world.pool.query('update session set expires_at = now() where principal_id = $1', [world.ids.approver]);
      expect(await decide('approver')).toBe('KC004');
      await world.pool.query(`update session set expires_at = now() + interval '1 day' where principal_id = $1`, [world.ids.approver]);
      // Profiles that may approve are known to the database by name.
      const may = shippedProfiles.filter((p) => hasRight(p.rights, 'approve')).map((p) => p.code);
      expect(may.sort()).toEqual(['approver', 'counsel', 'keeper']);
      const grouped = await inState('notice');
      await pastTheGuards(world.database, (client) =>
        client.query(`update batch set approver_groups = '{Board}' where id = $1`, [grouped]),
      );
      expect(await decide('approver', { batch: grouped })).toBe('KC004');
      expect(await decide('approver', { batch: grouped, decision: 'reject' })).toBe('done');
    });

    it('by what it holds, says or came to being changed or taken away', async () => {
      await refused(`update batch set state = 'done' where id = $1`, [await inState('executing')], 'KC004', 'KC004');
      const id = await inState('notice');
      await refused('insert into batch_item (batch_id, record_id) values ($1, $2)', [id, held.id], 'KC004', 'KC004');
      await refused('update batch_item set record_id = $2 where batch_id = $1', [id, held.id], '42501', 'KC001');
      await refused(`update batch_item set outcome = 'disposed' where batch_id = $1`, [id], 'KC004', 'KC004');
      await pastTheGuards(world.database, (client) => client.query(`update batch_item set outcome = 'blocked' where batch_id = $1`, [id]));
      await refused(`update batch_item set outcome = 'open' where batch_id = $1`, [id], 'KC001', 'KC001');
      for (const change of [
        `what = 'y'`,
        'approvals_needed = 0',
        `approver_groups = '{}'`,
        `action = 'transfer'`,
        `notice_until = '2000-01-01'`,
        `number = 'X'`,
      ]) {
        const own = change.startsWith('notice') ? 'KC001' : '42501';
        // What is as it was is no change.
        await refused(`update batch set ${change} where id = $1`, [id], own, change.startsWith('approver') ? 'done' : 'KC001');
      }
      for (const table of ['batch', 'batch_item', 'approval', 'objection']) {
        await pastTheGuards(world.database, (client) =>
          client.query(
            `insert into objection (id, batch_id, record_id, by_id, reason, made_at) values (gen_random_uuid(), $1, $2, $3, 'no', now())`,
            [id, working.id, world.ids.editor],
          ),
        );
        await pastTheGuards(world.database, (client) =>
          client.query(
            `insert into approval (batch_id, principal_id, decision, decided_on, decided_at) values ($1, $2, 'approve', current_date, now()) on conflict do nothing`,
            [id, world.ids.approver],
          ),
        );
        await refused(`delete from ${table}`, [], '42501', 'KC001');
      }
      await refused(`update approval set decision = 'reject'`, [], '42501', 'KC001');
      await refused(`update objection set reason = 'other' where batch_id = $1`, [id], '42501', 'KC001');
      await pastTheGuards(world.database, (client) =>
        client.query(`update objection set answered_at = now(), answer = 'kept' where batch_id = $1`, [id]),
      );
      await refused(`update objection set answer = 'other' where batch_id = $1`, [id], 'KC001', 'KC001');
    });

    it('by a certificate of what never was', async () => {
      const forge = `insert into certificate (id, number, batch_id, issued_on, sha256, pdf) select gen_random_uuid(), 'C-F', $1, current_date, sha256('pdf'), 'pdf'`;
      for (const state of batchStates) await refused(forge, [await inState(state)], 'KC004', 'KC004');
      const done = await inState('done');
      await pastTheGuards(world.database, (client) =>
        client.query(`update batch_item set outcome = 'disposed' where batch_id = $1`, [done]),
      );
      await refused(forge, [done], 'done', 'done');
      await refused(forge.replace(`sha256('pdf')`, `sha256('other')`), [done], 'KC004', 'KC004');
    });
  });

  it('no stored text becomes SQL with more rights than to read what criteria speak of', async () => {
    const tries: [string, string][] = [
      ['dispose', `exists (select dispose_records(array[r.id], r.id, current_date))`],
      ['cover', `exists (select place_cover(gen_random_uuid(), array[r.id], 'x'))`],
      ['let out', `uncover(gen_random_uuid(), array[r.id], r.owner_id, 'x') is not null`],
      ['enter', `enter_on_records('x', array[r.id], null, null, null) is null`],
      ['read sessions', `exists (select from session)`],
      ['read keys', `exists (select from signing_key)`],
      ['read files of the server', `pg_read_file('/etc/passwd') is not null`],
      ['run a program', `lo_import('/etc/passwd') > 0`],
      ['become another', `set_config('role', 'cellar_owner', true) is not null`],
    ];
    for (const [what, text] of tries) {
      for (const evaluation of [
        `update record set title = title || '.' where id = $1`,
        'select look_for_work(id, 500) from hold where $1::uuid is not null',
      ]) {
        const code = await asApplication(world.database, async (client) => {
          await client.query('begin');
          await client.query(
            `insert into hold (id, matter_id, name, reason, freezes, state, criteria, scope_sql, scope_params, placed_by, placed_at)
           values (gen_random_uuid(), $1, 'x', 'x', false, 'open', '{}', $2, '[]', $3, now())`,
            [matterId, `(${text})`, world.ids.counsel],
          );
          // Whatever writes a record evaluates it, and the hold itself does.
          const came = await client.query(evaluation, [working.id]).then(
            () => 'done',
            (error: { code?: string }) => error.code ?? 'no code',
          );
          await client.query('rollback');
          return came;
        });
        expect(code).withContext(`${what}: ${evaluation}`).toBe('42501');
      }
    }
    // A second statement in it has no more rights than the first.
    await refused(
      `select holds_matching(array[gen_random_uuid()], array['exists (select from session)'], '[null]', array[gen_random_uuid()])`,
      [],
      '42501',
      '42501',
    );
    await refused(`select all_matching('true; drop table record', '[]')`, [], '42501', '42501');
    await refused(`select enter_on_records('forged', array[$1::uuid], null, null, null)`, [working.id], '42501', 'done');
  });

  it('criteria of one hold do not reach into those of another', async () => {
    const insert = `insert into hold (id, matter_id, name, reason, freezes, state, criteria, scope_sql, scope_params, placed_by, placed_at)
      values (gen_random_uuid(), $1, 'x', 'x', false, 'open', '{}', $2, '[]', $3, now())`;
    for (const text of [
      'true',
      '(true), ($1[2], false)',
      '(true) or (true)',
      '(true)) as x (hold_id, matches) where (false',
      '(true)) as x (hold_id, matches) where false -- )',
      '(true /* ) */)',
      '(true); drop table record; (true)',
      `(r.title = 'a'' ) , ('b')`,
      `(r.title = E'\\') , ($1[2], false), ($1[1], r.title = ' ')`,
      `(r.title = E'a\\' ), (E'b\\')`,
      `(r.title = $$) , ($$)`,
      `(r.title = $3[1]::text)`,
      `(r."title" = 'a')`,
      ')(',
      '',
    ])
      await refused(insert, [matterId, text, world.ids.counsel], 'KC004', 'KC004');
    // What criteria are made of is let in.
    for (const text of [`(r.title = ($2->>0)::text)`, `((r.title = 'it''s (so') and not (r.gaps > 0))`]) {
      await asApplication(world.database, async (client) => {
        await client.query('begin');
        await expectAsync(client.query(insert, [matterId, text, world.ids.counsel]))
          .withContext(text)
          .toBeResolved();
        await client.query('rollback');
      });
    }
  });

  it('what owns tables and functions cannot log in and is no superuser, and no function is everybody’s', async () => {
    const { rows } = await world.pool.query<{ owner: string; login: boolean; super: boolean }>(
      `select distinct o.rolname as owner, o.rolcanlogin as login, o.rolsuper as super from (
         select relowner as owner from pg_class where relnamespace = 'public'::regnamespace and relkind in ('r', 'v', 'S')
         union select proowner from pg_proc p where pronamespace = 'public'::regnamespace
           and not exists (select from pg_depend d where d.objid = p.oid and d.deptype = 'e')) x join pg_roles o on o.oid = x.owner order by 1`,
    );
    expect(rows).toEqual([
      { owner: 'cellar_criteria', login: false, super: false },
      { owner: 'cellar_schema', login: false, super: false },
    ]);
    const open = await world.pool.query<{ name: string }>(
      `select p.oid::regprocedure::text as name from pg_proc p where pronamespace = 'public'::regnamespace
         and not exists (select from pg_depend d where d.objid = p.oid and d.deptype = 'e')
         and (p.proacl is null or exists (select from aclexplode(p.proacl) a where a.grantee = 0))`,
    );
    expect(open.rows).toEqual([]);
    const loose = await world.pool.query<{ name: string }>(
      `select p.oid::regprocedure::text as name from pg_proc p where pronamespace = 'public'::regnamespace and p.prosecdef
         and not coalesce(p.proconfig::text like '%search_path%', false)`,
    );
    expect(loose.rows).toEqual([]);
  });

  it('a snapshot that could miss a hold may not write records', async () => {
    await asApplication(world.database, async (client) => {
      await client.query('begin isolation level repeatable read');
      await expectAsync(client.query('update record set last_used_on = current_date where id = $1', [working.id])).toBeRejectedWithError(
        /read committed/,
      );
    });
  });

  it('after all that everything is as it was', async () => {
    expect(await one(`select count(*)::int as n from record where state = 'declared' and title = 'Declared'`)).toEqual({ n: 1 });
    expect(await one('select count(*)::int as n from hold_cover where released_at is null')).toEqual({ n: 2 });
    expect(await one('select count(*)::int as n from version')).toEqual({ n: 4 });
  });
});
