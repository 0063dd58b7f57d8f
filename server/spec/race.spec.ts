import { holds } from '@key-cellar/contract';
import pg from 'pg';
import { appUrlFor } from '../src/kernel/index.js';
import { executeItems } from '../src/docket/execution.js';
import { findBatches } from '../src/docket/batchStore.js';
import { goOnWithHold } from '../src/holds/working.js';
import { carryOut, holdActs, withUnitOfWork } from '../src/index.js';
import { urlOf } from './support/database.js';
import { approvedBatch, makeWorld, rackDifferences, recordsInBulk, today, type World } from './support/world.js';

const interleavings = 1000;
const holdsOfIt = '(select count(*)::int from hold_cover c where c.record_id = record.id and c.released_at is null)';
const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

describe('hold against destruction', () => {
  let world: World;
  let pool: pg.Pool;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
    pool = new pg.Pool({ connectionString: appUrlFor(urlOf(world.database)), max: 20 });
  });
  // Whatever was done, and whoever brought it about: every cover and every letting out is entered on its record, and the rack is right.
  afterEach(async () => {
    const { rows } = await pool.query<{ cover: string; entry: string; out: string; left: string }>(
      `select (select count(*) from hold_cover) as cover,
         (select count(*) from ledger_entry where act = 'held') as entry,
         (select count(*) from hold_cover where released_at is not null) as out,
         (select count(*) from ledger_entry where act in ('let out of a hold', 'released from a hold')) as left`,
    );
    expect(rows[0]!.entry).toBe(rows[0]!.cover);
    expect(rows[0]!.left).toBe(rows[0]!.out);
    const unentered = await pool.query(
      `select from hold_cover c where not exists (select from ledger_entry e where e.subject_id = c.record_id and e.act = 'held'
         and e.body::jsonb->'after'->>'holdId' = c.hold_id::text)`,
    );
    expect(unentered.rowCount).toBe(0);
    expect(await rackDifferences(world.database)).toBe(0);
  });
  afterAll(async () => {
    await pool.end();
    await world.stop();
  });

  const manyRecords = (count: number, title: string): Promise<string[]> => recordsInBulk(world, pool, count, title);

  const person = async () => ({
    id: world.ids.counsel,
    name: 'Counsel',
    login: 'counsel',
    from: 'test',
    today,
    clearance: { level: 1, caveats: [] },
    accessEpoch: Number((await pool.query(`select value from epoch where name = 'access'`)).rows[0].value),
    demo: false,
    repository: 'Test',
    timeZone: 'UTC',
    sessionHash: Buffer.alloc(0),
    factorMissing: false,
    scopes: null,
    language: null,
  });

  it(`never lets a held record go, in ${interleavings} interleavings`, async () => {
    const counsel = world.as('counsel');
    const { id: matterId } = await counsel.call(holds.makeMatter, { body: { code: 'R', title: 'Race', kind: 'case', note: '' } });
    const ids = await manyRecords(interleavings, 'race');
    const batchId = await approvedBatch(world);
    await pool.query(`update batch set state = 'executing' where id = $1`, [batchId]);
    const [batch] = await findBatches(pool, [batchId], false);
    const services = { ...world.services, pool };
    const who = await person();
    const executor = { id: world.ids.keeper, name: 'Keeper', from: 'test', today: '2026-09-30' };
    const outcomes = { covered: 0, gone: 0 };
    // By how much holds wait longer (below nought: destructions do), so that each comes first as often on a quick machine as on a busy one.
    let lead = 0;
    for (let i = 0; i < ids.length; i += 10) {
      await Promise.all(
        ids.slice(i, i + 10).map(async (id, j) => {
          // Delays of different lengths on either side find the windows between lock, check and write.
          const destroy = pause(((i * 3 + j * 5) % 23) + Math.max(0, -lead)).then(() =>
            withUnitOfWork(pool, executor, (uow) => executeItems(uow, batch!, [id])),
          );
          const hold = pause(((i + j * 7) % 17) + Math.max(0, lead)).then(() =>
            carryOut(services, who, holdActs.placeHold, {
              body: { matterId, name: `H ${id}`, reason: 'race', freeze: false, recordIds: [id], custodianIds: [] },
            }),
          );
          const [, placed] = await Promise.all([destroy, hold]);
          const { outcome } = placed.results[0]!;
          const { rows } = await pool.query<{ state: string; holds: number }>(
            `select state, ${holdsOfIt} as holds from record where id = $1`,
            [id],
          );
          if (outcome === 'covered') {
            outcomes.covered += 1;
            expect(rows[0]).toEqual({ state: 'working', holds: 1 });
          } else {
            outcomes.gone += 1;
            expect(outcome).toBe('gone before the hold');
            expect(rows[0]).toEqual({ state: 'disposed', holds: 0 });
          }
        }),
      );
      lead = Math.max(-60, Math.min(60, lead + Math.sign(outcomes.covered - outcomes.gone)));
    }
    expect(outcomes.covered + outcomes.gone).toBe(interleavings);
    // Both orders did occur, or the test would prove nothing.
    expect(outcomes.covered).toBeGreaterThan(20);
    expect(outcomes.gone).toBeGreaterThan(20);
    const lost = await pool.query(
      `select count(*)::int as n from record r join hold_cover c on c.record_id = r.id where r.state = 'disposed' and c.released_at is null`,
    );
    expect(lost.rows[0]).toEqual({ n: 0 });
  }, 240_000);

  it('misses no record that comes to match while a hold by criteria is being placed', async () => {
    const counsel = world.as('counsel');
    const { id: matterId } = await counsel.call(holds.makeMatter, { body: { code: 'C', title: 'Criteria', kind: 'inquiry', note: '' } });
    const services = { ...world.services, pool };
    const who = await person();
    const rounds = 60;
    let late = 0;
    // How much longer writers wait, so that on any machine about as many of them come after the hold as before.
    let lead = 0;
    for (let round = 0; round < rounds; round++) {
      const word = `ottoline${round}`;
      const before = await manyRecords(3, word);
      const others = await manyRecords(6, `plain${round}`);
      // Writers make records match, and new ones arrive, at the same moment as the hold is placed.
      const writers = others.map(async (id, i) => {
        await pause(((round + i) % 4) + lead);
        const client = await pool.connect();
        try {
          await client.query('begin');
          await client.query('select pg_advisory_xact_lock_shared(gate_key())');
          await client.query(`update record set title = $2, search = array_to_tsvector(array[$2]) where id = $1`, [id, word]);
          await pause(i % 2);
          await client.query('commit');
        } finally {
          client.release();
        }
      });
      const arriving = pause((round % 3) + lead).then(() =>
        manyRecords(2, `x${word}`).then((ids) =>
          pool.query(`update record set search = array_to_tsvector(array[$2]) where id = any ($1::uuid[])`, [ids, word]).then(() => ids),
        ),
      );
      const hold = pause(round % 4).then(() =>
        carryOut(services, who, holdActs.placeHold, {
          body: {
            matterId,
            name: word,
            reason: 'criteria',
            freeze: false,
            recordIds: [],
            custodianIds: [],
            criteria: { op: 'words', text: word },
          },
        }),
      );
      const [placed, arrived] = await Promise.all([hold, arriving, ...writers]);
      await goOnWithHold(services, placed.id, () => true);
      const all = [...before, ...others, ...arrived];
      const { rows } = await pool.query<{ n: number; matched: number }>(
        `select count(*)::int as n, (count(*) filter (where because = 'came to match its criteria'))::int as matched
         from hold_cover where hold_id = $1 and record_id = any ($2::uuid[]) and released_at is null`,
        [placed.id, all],
      );
      expect(rows[0]!.n).withContext(`round ${round}`).toBe(all.length);
      late += rows[0]!.matched;
      lead = Math.max(0, Math.min(60, lead + (rows[0]!.matched < 4 ? 2 : -2)));
    }
    // Some were found by the hold and some by their writer: both ways were tried.
    expect(late).toBeGreaterThan(10);
    expect(late).toBeLessThan(rounds * 8);
  }, 240_000);

  it('holds by criteria against destruction: each record went wholly before, or stays', async () => {
    const counsel = world.as('counsel');
    const { id: matterId } = await counsel.call(holds.makeMatter, { body: { code: 'D', title: 'Both', kind: 'case', note: '' } });
    const rounds = 40;
    const perRound = 8;
    await Promise.all(Array.from({ length: rounds }, (_, round) => manyRecords(perRound, `isolde${round}`)));
    const batchId = await approvedBatch(world);
    await pool.query(`update batch set state = 'executing' where id = $1`, [batchId]);
    const [batch] = await findBatches(pool, [batchId], false);
    const services = { ...world.services, pool };
    const who = await person();
    const executor = { id: world.ids.keeper, name: 'Keeper', from: 'test', today: '2026-12-30' };
    const outcomes = { covered: 0, gone: 0 };
    for (let round = 0; round < rounds; round++) {
      const word = `isolde${round}`;
      const ids = (await pool.query<{ id: string }>('select id from record where title = $1', [word])).rows.map((r) => r.id);
      // One by one, or four together.
      const parts = round % 2 === 0 ? ids.map((id) => [id]) : [ids.slice(0, 4), ids.slice(4)];
      const going = parts.map((part, i) =>
        pause((i * 5 + round * 3) % 29).then(() => withUnitOfWork(pool, executor, (uow) => executeItems(uow, batch!, part))),
      );
      const placed = await pause((round * 7) % 23).then(() =>
        carryOut(services, who, holdActs.placeHold, {
          body: {
            matterId,
            name: word,
            reason: 'race',
            freeze: false,
            recordIds: [],
            custodianIds: [],
            criteria: { op: 'words', text: word },
          },
        }),
      );
      await Promise.all(going);
      await goOnWithHold(services, placed.id, () => true);
      const { rows } = await pool.query<{ state: string; holds: number; first: boolean | null }>(
        `select state, ${holdsOfIt} as holds,
           (select e.seq from ledger_entry e where e.subject_id = record.id and e.act = 'destroyed')
             < (select e.seq from ledger_entry e where e.subject_id = $2 and e.act = 'placed a hold') as first
         from record where id = any ($1::uuid[])`,
        [ids, placed.id],
      );
      for (const row of rows) {
        expect(row).toEqual(row.holds > 0 ? { state: 'working', holds: 1, first: null } : { state: 'disposed', holds: 0, first: true });
        outcomes[row.holds > 0 ? 'covered' : 'gone'] += 1;
      }
    }
    expect(outcomes.covered + outcomes.gone).toBe(rounds * perRound);
    expect(outcomes.covered).toBeGreaterThan(20);
    expect(outcomes.gone).toBeGreaterThan(20);
  }, 240_000);

  it('keeps a record that ceases to match, and leaves out one that was let out', async () => {
    const counsel = world.as('counsel');
    const { id: matterId } = await counsel.call(holds.makeMatter, { body: { code: 'K', title: 'Keep', kind: 'case', note: '' } });
    const [first, second] = await manyRecords(2, 'cellar');
    const hold = await counsel.call(holds.placeHold, {
      body: {
        matterId,
        name: 'K',
        reason: 'a reason',
        freeze: false,
        recordIds: [],
        custodianIds: [],
        criteria: { op: 'words', text: 'cellar' },
      },
    });
    const rename = (id: string, word: string) =>
      pool.query(`update record set title = $2, search = array_to_tsvector(array[$2]) where id = $1`, [id, word]);
    await rename(first!, 'attic');
    await counsel.call(holds.letOut, { params: { id: hold.id }, body: { recordIds: [second!], reason: 'not relevant' } });
    await rename(second!, 'cellar');
    const { rows } = await pool.query<{ id: string; n: number }>(`select id, ${holdsOfIt} as n from record where id = any ($1::uuid[])`, [
      [first, second],
    ]);
    expect(Object.fromEntries(rows.map((r) => [r.id, r.n]))).toEqual({ [first!]: 1, [second!]: 0 });
  });
});
