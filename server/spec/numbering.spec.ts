import { plan, receiving, records } from '@key-cellar/contract';
import { programActor, withUnitOfWork } from '../src/index.js';
import { placeById, placesByIds } from '../src/plan/index.js';
import { giveNumber } from '../src/records/index.js';
import { recordType } from '../src/facts/index.js';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { makeWorld, problemOf, statusOf, today, type World, revisionOf } from './support/world.js';

const atOnce = 100;
const filings = 1000;

describe('numbering', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
  });
  afterAll(() => world.stop());

  const year = today.slice(0, 4);
  const make = (title: string, pattern: string, per: ('series' | 'place' | 'type' | 'year' | 'month')[], gapless = true) =>
    world.as('keeper').call(records.makeNumbering, { body: { title, pattern, per, gapless } });
  const numberBy = async (placeId: string, numberingId: string | null) =>
    world
      .as('keeper')
      .call(records.placeNumbering, { params: { id: placeId }, body: { revision: await revisionOf(world, placeId), numberingId } });
  const file = async (placeId: string, facts: Record<string, string> = { topic: 'quay' }, containerId = world.ids.box): Promise<string> =>
    (
      await world.as('editor').call(receiving.describePhysical, {
        body: { title: 'Binder', recordType: 'note', placeId, createdOn: '2025-01-10', facts, containerId },
      })
    ).number;
  const folder = async (code: string): Promise<string> =>
    (
      await world
        .as('steward')
        .call(plan.makePlace, { body: { parentId: world.ids.A01, kind: 'folder', code, title: `Folder ${code}`, note: '' } })
    ).id;

  chapter('follows the nearest place, and goes back to the usual', async () => {
    const inside = await folder('N-1');
    const { id } = await make('Folder numbers', '{place}-{year}-{nn}', ['place', 'year']);
    await numberBy(inside, id);
    expect(await file(inside)).toBe(`A-01/N-1-${year}-01`);
    expect(await file(inside)).toBe(`A-01/N-1-${year}-02`);
    expect(await file(world.ids.A01)).toBe(`A-01/${year}/0001`);
    const page = await world.as('keeper').call(plan.place, { params: { id: inside } });
    expect(page.numbering).toEqual({ id, title: 'Folder numbers', pattern: '{place}-{year}-{nn}', setOn: 'N-1' });
    await numberBy(inside, null);
    expect(await file(inside)).toBe(`A-01/${year}/0002`);
  });

  chapter('refuses a scheme that makes the numbers of another in use, when the second is set and when one is changed', async () => {
    const [one, other] = [(await make('Long', 'Z-{nnnn}', [])).id, (await make('Short', 'Z-{nnn}', [])).id];
    const [a, b] = [await folder('M-1'), await folder('M-2')];
    await numberBy(a, one);
    const refusal = 'Long makes the same numbers, such as Z-1111. Give one of them another beginning.';
    expect(await problemOf(numberBy(b, other))).toBe(refusal);
    await numberBy(b, one);
    await numberBy(b, null);
    const change = (pattern: string) =>
      world.as('keeper').call(records.changeNumbering, {
        params: { id: other },
        body: { revision: pattern === 'Y-{nnn}' ? 1 : 2, title: 'Short', pattern, per: [], gapless: true },
      });
    await change('Y-{nnn}');
    await numberBy(b, other);
    expect(await problemOf(change('Z-{nnn}'))).toBe(refusal);
    expect(await problemOf(make('Nothing', '{fact zzz}-{n}', []))).toBe('There is no fact zzz.');
    await numberBy(a, null);
    await numberBy(b, null);
  });

  chapter('says which fact is missing, and counts nothing then', async () => {
    const inside = await folder('N-2');
    await numberBy(inside, (await make('By topic', '{fact topic}-{nnn}', [])).id);
    await expectAsync(file(inside, {})).toBeRejectedWithError(/topic/);
    expect(await file(inside, { topic: 'rail' })).toBe('rail-001');
  });

  for (const gapless of [true, false]) {
    chapter(
      `gives ${filings} filings at once ${filings} numbers, ${gapless ? 'none left out' : 'none twice'}`,
      async () => {
        const name = gapless ? 'G' : 'L';
        const inside = await folder(`N-${name}`);
        await numberBy(inside, (await make(`Many ${name}`, `${name}{year}.{nnnn}`, ['year'], gapless)).id);
        const numbers: string[] = [];
        let refused = 0;
        const giveAndFail = () =>
          withUnitOfWork(world.pool, programActor('test', today), async (uow) => {
            const chain = await placesByIds(uow, (await placeById(uow, inside))!.ancestors);
            await giveNumber(world.services, uow, { chain, type: (await recordType(uow, 'note'))!, facts: {}, on: today });
            throw new Error('after the number was given');
          });
        for (let i = 0; i < filings; i += atOnce) {
          const round = Array.from({ length: atOnce }, () => file(inside).then((n) => numbers.push(n)));
          // Among them one that fails after its number was given.
          round.push(giveAndFail().catch(() => (refused += 1)));
          await Promise.all(round);
        }
        expect(refused).toBe(filings / atOnce);
        expect(new Set(numbers).size).toBe(filings);
        const counts = numbers.map((n) => Number(n.split('.')[1])).sort((a, b) => a - b);
        if (gapless) expect([counts[0], counts.at(-1)]).toEqual([1, filings]);
      },
      120_000,
    );
  }

  chapter('passes over numbers that another scheme gave', async () => {
    const [one, other] = [await folder('N-3'), await folder('N-4')];
    await numberBy(one, (await make('One', 'S-{nnn}', [])).id);
    expect([await file(one), await file(one)]).toEqual(['S-001', 'S-002']);
    await numberBy(one, null);
    await numberBy(other, (await make('Other', 'S-{nnn}', [], false)).id);
    expect(await file(other)).toBe('S-003');
  });

  chapter('keeps its counters from shrinking, even for the owner of the database', async () => {
    await asOwner(world.database, async (db) => {
      for (const attack of ['update numbering_counter set last = last - 1', 'delete from numbering_counter'])
        await expectAsync(db.query(attack)).toBeRejectedWithError(/only grows/);
    });
  });

  chapter('refuses a pattern that gives one number twice, and who may not decide', async () => {
    expect(await statusOf(make('Twice', 'X-{nnn}', ['year']))).toBe(422);
    const body = { title: 'Mine', pattern: '{nnn}', per: [], gapless: false };
    expect(await statusOf(world.as('editor').call(records.makeNumbering, { body }))).toBe(403);
    const call = world.as('editor').call(records.placeNumbering, {
      params: { id: world.ids.A01 },
      body: { revision: await revisionOf(world, world.ids.A01), numberingId: null },
    });
    expect(await statusOf(call)).toBe(403);
  });

  chapter('changes without touching numbers that were given', async () => {
    const inside = await folder('N-5');
    const { id } = await make('Changing', 'C-{nn}', []);
    await numberBy(inside, id);
    expect(await file(inside)).toBe('C-01');
    const change = (revision: number) =>
      world.as('keeper').call(records.changeNumbering, {
        params: { id },
        body: { title: 'Changing', pattern: 'C-{nnnn}', per: [], gapless: true, revision },
      });
    expect(await statusOf(change(7))).toBe(412);
    expect((await change(1)).revision).toBe(2);
    expect(await file(inside)).toBe('C-0002');
    const { numberings } = await world.as('keeper').call(records.numberings);
    expect(numberings.find((n) => n.id === id)!.places.map((p) => p.code)).toEqual(['N-5']);
  });

  chapter('is removed only while it never gave a number and no place has it', async () => {
    const keeper = world.as('keeper');
    const drop = (id: string, revision = 1, client = keeper) => client.call(records.dropNumbering, { params: { id }, body: { revision } });
    const ids = async () => (await keeper.call(records.numberings)).numberings.map((n) => n.id);
    const { id: idle } = await make('Idle', 'I-{nn}', []);
    expect(await statusOf(drop(idle, 1, world.as('editor')))).toBe(403);
    expect(await statusOf(drop(idle, 2))).toBe(412);
    const inside = await folder('N-6');
    await numberBy(inside, idle);
    expect(await problemOf(drop(idle))).toContain('is set on a place');
    await numberBy(inside, null);
    await drop(idle);
    expect(await ids()).not.toContain(idle);
    expect(await statusOf(drop(idle))).toBe(404);
    expect(await statusOf(numberBy(inside, idle))).toBe(404);
    // One that counted stays, also after every place has another.
    for (const [code, gapless] of [
      ['N-7', true],
      ['N-8', false],
    ] as const) {
      const there = await folder(code);
      const { id } = await make(`Used ${code}`, `${code}-{nn}`, [], gapless);
      await numberBy(there, id);
      await file(there);
      await numberBy(there, null);
      expect((await keeper.call(records.numberings)).numberings.find((n) => n.id === id)!.used).toBeTrue();
      expect(await problemOf(drop(id))).toContain('none may be given twice');
    }
  });

  chapter('is either removed or set on a place, never both', async () => {
    const there = await folder('N-9');
    for (let i = 0; i < 8; i++) {
      const { id } = await make(`Race ${i}`, 'R-{nn}', []);
      const tried = [numberBy(there, id), world.as('keeper').call(records.dropNumbering, { params: { id }, body: { revision: 1 } })];
      const outcomes = await Promise.all(tried.map((t) => statusOf(t as Promise<unknown>)));
      expect(outcomes.filter((status) => status === 200).length)
        .withContext(outcomes.join())
        .toBe(1);
      expect(outcomes.every((status) => [200, 404, 409].includes(status)))
        .withContext(outcomes.join())
        .toBeTrue();
      await numberBy(there, null);
    }
  });
});
