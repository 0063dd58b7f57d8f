import { randomBytes } from 'node:crypto';
import { bareFolder } from '@key-cellar/core/plan';
import { hasRight, profileIn, profilesWith, shippedProfiles, type Right } from '@key-cellar/core/access';
import type * as contract from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import {
  addPrincipal,
  batchActs,
  carryOut,
  eventActs,
  factActs,
  fileOne,
  getOrMakeSet,
  holdActs,
  levelActs,
  listActs,
  numberingActs,
  profileActs,
  tagActs,
  detectorActs,
  placeActs,
  placeGrant,
  programActor,
  ruleActs,
  run,
  stencilActs,
  recordActs,
  receive,
  withUnitOfWork,
  type ActOf,
  type Services,
  type SignedIn,
} from '../../src/index.js';
import { passActs } from '../../src/passes/index.js';
import { addSession } from '../../src/identity/store.js';
import { asOwner, pastTheGuards } from './database.js';
import { makeWorld, ruleDefinition, today, type World } from './world.js';

/** Where something is, seen from somebody whose rights are on one folder only. */
export const spots = ['inside', 'outside', 'hidden', 'marked'] as const;
export type Spot = (typeof spots)[number];
/** Besides: what reaches from inside to outside, such as a hold on records of both. */
export type ThingsAt = Spot | 'astride';

/** One of everything that lies in a place. */
export interface Things {
  readonly place: string;
  readonly other: string;
  readonly series: string;
  readonly seriesCode: string;
  readonly record: string;
  readonly declared: string;
  /** Held, with freeze. */
  readonly held: string;
  /** Held without it. */
  readonly kept: string;
  /** Declared, and held then. */
  readonly bound: string;
  /** Disposed of: a stub. */
  readonly gone: string;
  readonly hold: string;
  readonly batch: string;
  readonly item: string;
  readonly objection: string;
  readonly groupKey: string;
  readonly task: string;
  readonly arrival: string;
  readonly event: string;
  readonly recordEvent: string;
  readonly entity: string;
  readonly due: string;
  /** Of a group that nobody is in. */
  readonly grant: string;
  /** To the record. */
  readonly pass: string;
  /** By somebody who has nothing, to read in the place. */
  readonly raise: string;
  /** A round over what was given on `place`, and the grant on it in that round. */
  readonly review: string;
  readonly reviewLine: string;
}

/** What belongs to no place. */
export interface Common {
  readonly rule: string;
  /** A rule with a version that is to come into force. */
  readonly announced: string;
  readonly byCriteria: string;
  readonly jurisdiction: string;
  /** A jurisdiction that says which days are worked there. */
  readonly worked: string;
  readonly namedYear: string;
  readonly numbering: string;
  readonly detector: string;
  readonly stencil: string;
  readonly type: string;
  readonly job: string;
  readonly matter: string;
  readonly box: string;
  readonly person: string;
  readonly group: string;
  /** A profile of the repository’s own, which nobody has. */
  readonly profile: string;
  readonly tag: string;
  /** A provider of identities, with which `person` is linked. */
  readonly provider: string;
  readonly program: string;
  readonly token: string;
  /** One that was refused. */
  readonly mail: string;
}

export interface Asker {
  readonly name: string;
  readonly person: SignedIn;
  /** Null: no grant at all. */
  readonly profile: string | null;
  readonly on: 'repository' | 'folder';
  readonly inForce: boolean;
}

export interface ActWorld extends World {
  readonly things: Readonly<Record<ThingsAt, Things>>;
  readonly common: Common;
  readonly askers: readonly Asker[];
  /** The rights of somebody on an access set, from the grants of this world and from nothing of the server. */
  may(asker: Asker, setId: number, right: Right): boolean;
  readonly rootSet: number;
}

const markingLevel = 5;

/** A world with one of everything inside one folder, outside it, hidden in a place that stands alone, and above all clearances. */
export async function makeActWorld(): Promise<ActWorld> {
  const world = await makeWorld();
  const { services, pool, ids } = world;
  const people: { name: string; id: string; profile: string | null; on: 'repository' | 'folder'; inForce: boolean; clearance: number }[] = [
    { name: 'nobody in particular', id: uuidv7(), profile: null, on: 'repository', inForce: true, clearance: 1 },
    ...shippedProfiles.flatMap((p) =>
      (['repository', 'folder'] as const).map((on) => ({
        name: `${p.code} of ${on === 'folder' ? 'one folder' : 'all'}`,
        id: uuidv7(),
        profile: p.code,
        on,
        inForce: true,
        clearance: 1,
      })),
    ),
    { name: 'keeper whose grant ended', id: uuidv7(), profile: 'keeper', on: 'repository' as const, inForce: false, clearance: 1 },
  ];
  const [maker, group, person] = [uuidv7(), uuidv7(), uuidv7()];
  const grants = {} as Record<Spot, string>;
  const folders = Object.fromEntries(spots.map((s) => [s, { id: uuidv7(), other: uuidv7() }])) as Record<
    Spot,
    { id: string; other: string }
  >;
  const homes: Record<Spot, { series: string; seriesCode: string; chain: string[] }> = {
    inside: { series: ids.A01, seriesCode: 'A-01', chain: [ids.root, ids.A, ids.A01] },
    outside: { series: ids.A02, seriesCode: 'A-02', chain: [ids.root, ids.A, ids.A02] },
    hidden: { series: ids.B01, seriesCode: 'B-01', chain: [ids.root, ids.B, ids.B01] },
    marked: { series: ids.A02, seriesCode: 'A-02', chain: [ids.root, ids.A, ids.A02] },
  };
  await withUnitOfWork(pool, programActor('test', today), async (uow) => {
    await addPrincipal(uow, {
      id: maker,
      kind: 'person',
      name: 'Maker',
      passwordHash: 'one that nobody knows',
      login: 'maker',
      clearanceLevel: 9,
    });
    for (const p of people) {
      await addPrincipal(uow, { id: p.id, kind: 'person', name: p.name, login: p.id, clearanceLevel: p.clearance });
      await addSession(uow, {
        tokenHash: randomBytes(32),
        principalId: p.id,
        hours: 1,
        address: 'test',
        agent: 'test',
        factorProved: false,
      });
    }
    for (const spot of spots) {
      const { chain, series } = homes[spot];
      const level = spot === 'marked' ? markingLevel : 0;
      for (const [code, id] of [
        ['F', folders[spot].id],
        ['O', folders[spot].other],
      ] as const) {
        const anchor = spot === 'hidden' ? ids.B : ids.A;
        const set = await getOrMakeSet(uow, {
          anchorPlace: spot === 'inside' ? ids.A01 : anchor,
          recordId: null,
          level,
          caveats: [],
          tags: [],
        });
        await run(
          uow,
          'test.folder',
          `insert into place (id, kind, parent_id, ancestors, code, title, access_set_id, opened_on, marking_level) values ($1, 'folder', $2, $3, $4, $4, $5, '2000-01-01', $6)`,
          [id, series, [...chain, id], `${code}-${spot.toUpperCase()}`, set, level],
        );
      }
    }
    const reason = 'test';
    for (const profile of ['keeper', 'administrator']) await placeGrant(uow, { principalId: maker, placeId: ids.root, profile, reason });
    await addPrincipal(uow, { id: group, kind: 'group', name: 'Empty' });
    await addPrincipal(uow, { id: person, kind: 'person', name: 'Somebody Else', login: 'else' });
    for (const spot of spots)
      grants[spot] = await placeGrant(uow, { principalId: group, placeId: folders[spot].id, profile: 'reader', reason: 'nobody is in it' });
    for (const p of people) {
      if (p.profile === null) continue;
      // Of one folder: with all that is made inside, so that acts on two places have both.
      for (const placeId of p.on === 'repository' ? [ids.root] : [folders.inside.id, folders.inside.other]) {
        await placeGrant(uow, { principalId: p.id, placeId, profile: p.profile, reason, ...(p.inForce ? {} : { until: '2026-09-13' }) });
      }
    }
  });
  const epoch = Number((await pool.query<{ value: string }>(`select value from epoch where name = 'access'`)).rows[0]!.value);
  const signedIn = (id: string, name: string, clearance: number): SignedIn => ({
    id,
    name,
    login: name,
    from: 'test',
    today,
    clearance: { level: clearance, caveats: [] },
    accessEpoch: epoch,
    demo: true,
    repository: 'Test',
    timeZone: 'UTC',
    sessionHash: Buffer.alloc(0),
    factorMissing: false,
    scopes: null,
    language: null,
  });
  const make = signedIn(maker, 'Maker', 9);
  const does = <E extends contract.Endpoint, On>(
    act: ActOf<E, Services, On>,
    given: { params?: unknown; body?: unknown; query?: unknown },
  ): Promise<contract.ToldOf<E>> => carryOut(services, make, act, given as never);

  await does(factActs.makeType, {
    body: { code: 'deed', title: 'Deed', facts: [{ code: 'with', title: 'With', kind: 'party', required: false }] },
  });
  await does(factActs.makeType, { body: { code: 'spare', title: 'Spare', facts: [] } });
  const rule = (await does(ruleActs.makeRule, { body: { code: 'R-ACT', definition: ruleDefinition() } })).id;
  await does(ruleActs.publish, { params: { id: rule }, body: { revision: 1, inForceFrom: '2000-01-01', takesOver: 'all' } });
  await does(ruleActs.saveDraft, { params: { id: rule }, body: { revision: 2, definition: ruleDefinition({ title: 'Other' }) } });
  const announced = (await does(ruleActs.makeRule, { body: { code: 'R-LATER', definition: ruleDefinition() } })).id;
  await does(ruleActs.publish, { params: { id: announced }, body: { revision: 1, inForceFrom: '2099-01-01', takesOver: 'all' } });
  const asking = (
    await does(ruleActs.makeRule, {
      body: {
        code: 'R-ASK',
        definition: ruleDefinition({
          steps: [
            { kind: 'askOwner', after: 'P1D', from: 'clockStart', approvals: 0, noticeDays: 0 },
            { kind: 'destroy', after: 'P50Y', from: 'clockStart', approvals: 1, noticeDays: 0 },
          ],
        }),
      },
    })
  ).id;
  await does(ruleActs.publish, { params: { id: asking }, body: { revision: 1, inForceFrom: '2000-01-01', takesOver: 'all' } });
  const matter = (await does(holdActs.makeMatter, { body: { code: 'ACT', title: 'Acts', kind: 'case', note: '' } })).id;

  let n = 0;
  const file = async (place: string, body: { recordType?: string; facts?: object } = {}): Promise<string> => {
    const name = `thing ${n++}.txt`;
    const arrivalId = await receive(services, make, {
      name,
      source: 'test',
      placeId: null,
      idempotencyKey: null,
      bytes: (async function* () {
        yield Buffer.from(name);
      })(),
    });
    const filing = {
      arrivalId,
      title: name,
      recordType: 'note',
      placeId: place,
      createdOn: '2026-09-01',
      facts: { topic: 'acts' },
      ...body,
    };
    return (await does(fileOne, { body: filing })).recordId;
  };

  const thingsIn = async (spot: Spot): Promise<Things> => {
    const { id: place, other } = folders[spot];
    const { series, seriesCode } = homes[spot];
    const entity = (await does(factActs.makeEntity, { body: { kind: 'party', name: `Party ${spot}`, code: '', note: '' } })).id;
    const record = await file(place, { recordType: 'deed', facts: { with: entity } });
    const declared = await file(place);
    await does(recordActs.declare, { body: { ids: [declared] } });
    const held = await file(place);
    const hold = (
      await does(holdActs.placeHold, {
        body: { matterId: matter, name: spot, reason: 'a case', freeze: true, recordIds: [held], custodianIds: [] },
      })
    ).id;
    const kept = await file(place);
    const gone = await file(place);
    await asOwner(world.database, (client) =>
      client.query(`update record set state = 'disposed', disposed_on = $2, docket = 'none', due_on = null where id = $1`, [gone, today]),
    );
    const bound = await file(place);
    await does(recordActs.declare, { body: { ids: [bound] } });
    await does(holdActs.placeHold, {
      body: { matterId: matter, name: `kept ${spot}`, reason: 'a case', freeze: false, recordIds: [kept, bound], custodianIds: [] },
    });
    const item = await file(place);
    const dueNow = (id: string) =>
      pool.query(`update record set outcome = 'dated', due_on = '2026-01-01', action = 'destroy', docket = 'due' where id = $1`, [id]);
    await dueNow(item);
    const groupKey = [series, '-', 'destroy', 'electronic'].join('|');
    const batch = (await does(batchActs.propose, { body: { groupKey, noticeDays: 14, announce: true } })).id;
    await does(batchActs.object, { params: { id: batch }, body: { recordId: item, reason: 'not this one' } });
    const objection = (await pool.query<{ id: string }>('select id from objection where batch_id = $1', [batch])).rows[0]!.id;
    const due = await file(place);
    const asked = await file(place);
    const task = uuidv7();
    await pool.query(
      `insert into step_task (id, record_id, rule_id, step_index, kind, asked_on, last_asked_on, times, state) values ($1, $2, $3, 0, 'askOwner', $4, $4, 1, 'open')`,
      [task, asked, asking, today],
    );
    const arrival = await receive(services, make, {
      name: `waits ${spot}.txt`,
      source: 'test',
      placeId: place,
      idempotencyKey: null,
      bytes: (async function* () {
        yield Buffer.from(`waits ${spot}`);
      })(),
    });
    const event = (await does(eventActs.recordEvent, { params: { id: place }, body: { type: 'x', on: today, note: '' } })).id;
    const recordEvent = (await does(eventActs.addRecordEvent, { params: { id: record }, body: { type: 'x', on: today, note: '' } })).id;
    const openly = { until: null, passphrase: null, openings: null, copyOut: false };
    const guest = { visitor: 'A guest', reason: 'asked for it', recordIds: [kept], placeId: null };
    const pass = (await does(passActs.make, { body: { ...guest, ...openly } })).id;
    const raise = uuidv7();
    await pool.query(`insert into raise (id, asker_id, place_id, profile, until, reason) values ($1, $2, $3, 'reader', $4, 'asks')`, [
      raise,
      person,
      place,
      '2026-09-30',
    ]);
    const [review, reviewLine] = [uuidv7(), uuidv7()];
    await pool.query(
      `insert into access_review (id, title, place_id, due_on, ends_unconfirmed, made_by, made_on) values ($1, 'Round', $2, '2026-12-31', false, $3, $4)`,
      [review, place, maker, today],
    );
    await pool.query(
      `insert into access_review_line (id, review_id, grant_id, principal_id, place_id, profile)
       select $1, $2, id, principal_id, place_id, profile from grant_ where id = $3`,
      [reviewLine, review, grants[spot]],
    );
    return {
      raise,
      review,
      reviewLine,
      pass,
      place,
      other,
      series,
      seriesCode,
      record,
      declared,
      held,
      kept,
      bound,
      gone,
      hold,
      batch,
      item,
      objection,
      groupKey,
      task,
      arrival,
      event,
      recordEvent,
      entity,
      due,
      grant: grants[spot],
    };
  };
  /** A hold, a batch with an objection, and a party, each on records of two places. */
  const reaching = async (one: Things, other: Things): Promise<Things> => {
    const entity = (await does(factActs.makeEntity, { body: { kind: 'party', name: 'Party astride', code: '', note: '' } })).id;
    const about = { recordType: 'deed', facts: { with: entity } };
    const records = [await file(one.place, about), await file(other.place, about)];
    const hold = (
      await does(holdActs.placeHold, {
        body: { matterId: matter, name: 'astride', reason: 'a case', freeze: false, recordIds: records, custodianIds: [] },
      })
    ).id;
    const items = [await file(one.place), await file(other.place)];
    const batch = uuidv7();
    await pastTheGuards(world.database, async (client) => {
      await client.query(
        `insert into batch (id, number, action, what, state, approvals_needed, notice_days, proposed_by, proposed_on, announced_on, notice_until, approver_groups)
       select $1, 'D-ASTRIDE', action, what, state, approvals_needed, notice_days, proposed_by, proposed_on, announced_on, notice_until, approver_groups
       from batch where id = $2`,
        [batch, one.batch],
      );
      await client.query('insert into batch_item (batch_id, record_id) select $1, unnest($2::uuid[])', [batch, items]);
    });
    await does(batchActs.object, { params: { id: batch }, body: { recordId: items[0]!, reason: 'not this one' } });
    const objection = (await pool.query<{ id: string }>('select id from objection where batch_id = $1', [batch])).rows[0]!.id;
    return { ...one, entity, record: records[0]!, held: records[0]!, hold, item: items[0]!, batch, objection };
  };
  const things = {} as Record<ThingsAt, Things>;
  for (const spot of spots) things[spot] = await thingsIn(spot);
  things.astride = await reaching(things.inside, things.outside);
  // Due once every batch is made, so that none took them along.
  for (const spot of spots) {
    await pool.query(`update record set outcome = 'dated', due_on = '2026-01-01', action = 'destroy', docket = 'due' where id = $1`, [
      things[spot].due,
    ]);
  }

  const body = {
    subject: 'S',
    title: 'Stencil',
    note: '',
    definition: { asks: [], roles: [], root: bareFolder('root', 'S-{nn}', 'Made') },
  };
  const job = uuidv7();
  await pool.query(`insert into job_progress (id, kind, subject, data, state) values ($1, 'recompute', 'x', '{"reach":{}}', 'cancelled')`, [
    job,
  ]);
  await pool.query(`insert into second_factor (principal_id, secret, confirmed_at) values ($1, '\\x00', now())`, [person]);
  const mail = uuidv7();
  await pool.query(
    `insert into mail (id, to_id, address, kind, subject, body, html, state) values ($1, $2, 'a@b.example', 'test', 'S', 'B', 'B', 'refused')`,
    [mail, person],
  );
  const provider = uuidv7();
  await pool.query(
    `insert into identity_provider (id, name, issuer, client_id, newcomers, by_email, brings_factor, active)
     values ($1, 'Directory', 'https://directory.example', 'us', false, false, false, true)`,
    [provider],
  );
  await pool.query(`insert into federated (provider_id, subject, principal_id) values ($1, 'one', $2)`, [provider, person]);
  const [program, token] = [uuidv7(), uuidv7()];
  await pool.query(`insert into principal (id, kind, name) values ($1, 'service', 'Intake')`, [program]);
  await pool.query(
    `insert into api_token (id, principal_id, name, token_hash, scopes, until, made_by, made_on)
     values ($1, $2, 'One', 'one', '{records.read}', '2026-12-31', $3, '2026-09-14')`,
    [token, program, maker],
  );
  const common: Common = {
    rule,
    announced,
    byCriteria: (
      await does(levelActs.addCriteriaRule, { body: { ruleId: rule, criteria: { op: 'fact', fact: 'topic', value: 'none' }, note: '' } })
    ).id,
    jurisdiction: 'Shore',
    worked: 'Working shore',
    namedYear: 'Board term',
    profile: (await does(profileActs.makeProfile, { body: { title: 'Spare', rights: ['discover', 'read'], ownOnly: false } })).code,
    tag: (await does(tagActs.make, { body: { name: 'Spare', note: '' } })).id,
    numbering: (await does(numberingActs.makeNumbering, { body: { title: 'N', pattern: '{year}-{nnn}', per: ['year'], gapless: true } }))
      .id,
    detector: (
      await does(detectorActs.makeDetector, { body: { title: 'D', note: '', signs: [{ kind: 'words', words: ['quay'], atLeast: 1 }] } })
    ).id,
    stencil: (await does(stencilActs.make, { body })).id,
    type: 'spare',
    job,
    matter,
    box: ids.box,
    person,
    group,
    provider,
    program,
    token,
    mail,
  };
  for (const name of [common.jurisdiction, common.worked]) await does(levelActs.makeJurisdiction, { body: { name, partOf: null } });
  await does(listActs.setCalendar, { body: { name: common.worked, weekend: [7], holidays: [], dryRun: false } });
  await does(listActs.setNamedYear, { body: { name: common.namedYear, ends: ['2026-06-30'] } });
  await does(placeActs.placeTakes, { params: { id: things.inside.other }, body: { revision: 1, takes: null } });

  const sets = new Map<number, { spot: Spot | 'root' }>();
  const setOf = async (id: string): Promise<number> =>
    (await pool.query<{ access_set_id: number }>('select access_set_id from place where id = $1', [id])).rows[0]!.access_set_id;
  const rootSet = await setOf(ids.root);
  sets.set(rootSet, { spot: 'root' });
  for (const place of [ids.A, ids.A01, ids.A02]) sets.set(await setOf(place), { spot: 'outside' });
  for (const spot of spots) for (const id of [things[spot].place, things[spot].other]) sets.set(await setOf(id), { spot });
  sets.set(await setOf(ids.B), { spot: 'hidden' });

  return {
    ...world,
    things,
    common,
    rootSet,
    askers: people.map((p) => ({
      name: p.name,
      person: signedIn(p.id, p.name, p.clearance),
      profile: p.profile,
      on: p.on,
      inForce: p.inForce,
    })),
    may(asker, setId, right) {
      const where = sets.get(setId);
      if (!where) throw new Error(`No spot of this world has the access set ${setId}`);
      if (asker.profile === null || !asker.inForce || where.spot === 'marked') return false;
      if (asker.on === 'folder' && where.spot !== 'inside') return false;
      const { rights, ownOnly } = profileIn(profilesWith([]), asker.profile);
      // Only what carries `audit` reaches into a place that stands alone.
      if (where.spot === 'hidden' && !hasRight(rights, 'audit')) return false;
      if (ownOnly && ['discover', 'read', 'copyOut'].includes(right)) return false;
      return hasRight(rights, right);
    },
  };
}
