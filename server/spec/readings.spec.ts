import { en } from '@key-cellar/words/en';
import { speaker } from '@key-cellar/words/speaker';
import { inEnglish } from '@key-cellar/words/testing';
import type { Endpoint } from '@key-cellar/contract';
import type { Right } from '@key-cellar/core/access';
import { uuidv7 } from 'uuidv7';
import { bound } from '../src/http/table.js';
import { Download, Lines, Problem, type Read, type Services } from '../src/kernel/index.js';
import { makeActWorld, spots, type ActWorld, type Asker, type Spot, type Things } from './support/actWorld.js';
import { apart, readings, type Reading } from './support/readExamples.js';

type Where = Spot | 'absent';
const places: readonly Where[] = [...spots, 'absent'];
type AnyRead = Read<Endpoint, Services>;

/** Things of a spot that somebody who may know nothing there must not come across: all that an id tells of. */
const told: readonly (keyof Things)[] = [
  ...(['place', 'other', 'record', 'declared', 'held', 'kept', 'bound', 'gone', 'item', 'due'] as const),
  ...(['hold', 'batch', 'objection', 'task', 'arrival', 'event', 'recordEvent', 'grant', 'pass', 'raise'] as const),
];

describe('every reading, by every kind of person, of what is inside, outside, hidden, marked and absent', () => {
  let world: ActWorld;
  const folderSet = new Map<Spot, number>();
  const seriesSet = new Map<Spot, number>();
  const named = bound().flatMap(({ name, endpoint, answer }) =>
    typeof answer === 'function' ? [{ name, endpoint, read: answer as AnyRead }] : [],
  );

  beforeAll(async () => {
    world = await makeActWorld();
    const setOf = async (id: string): Promise<number> =>
      (await world.pool.query<{ set: number }>('select access_set_id as set from place where id = $1', [id])).rows[0]!.set;
    for (const spot of spots) {
      folderSet.set(spot, await setOf(world.things[spot].place));
      seriesSet.set(spot, await setOf(world.things[spot].series));
    }
  }, 120_000);
  afterAll(() => world.stop());

  const absent = (): Things => {
    const like = world.things.inside;
    const ids = Object.fromEntries(Object.keys(like).map((key) => [key, uuidv7()])) as unknown as Things;
    return { ...ids, seriesCode: 'NONE' };
  };

  /** Whether somebody has one of some rights on what deposits of their own there are none of. */
  const mayOn = (asker: Asker, set: number, rights: readonly Right[]): boolean => rights.some((right) => world.may(asker, set, right));

  function anywhere(asker: Asker, rights: readonly Right[]): boolean {
    if ([world.rootSet, ...folderSet.values()].some((set) => mayOn(asker, set, rights))) return true;
    // A depositor may find what they deposit, wherever that will be.
    return asker.profile === 'depositor' && asker.inForce && rights.some((right) => right === 'discover' || right === 'read');
  }

  function expected({ atRoot, somewhere, hidesWithout, of, see, may }: Reading, asker: Asker, where: Where): number {
    if (atRoot && !mayOn(asker, world.rootSet, atRoot)) return hidesWithout ? 404 : 403;
    if (somewhere && !anywhere(asker, somewhere)) return hidesWithout ? 404 : 403;
    if (!of) return hidesWithout && where === 'absent' && somewhere ? 404 : 200;
    if (where === 'absent') return 404;
    const set = (of === 'folder' ? folderSet : seriesSet).get(where)!;
    if (see && !mayOn(asker, set, see)) return 404;
    return may && !mayOn(asker, set, may) ? 403 : 200;
  }

  async function came(read: AnyRead, endpoint: Endpoint, given: object, asker: Asker): Promise<{ status: number; text: string }> {
    const { params = {}, query = {}, body = {} } = given as Record<string, unknown>;
    const input = { params: endpoint.params.parse(params), query: endpoint.query.parse(query), body: endpoint.body.parse(body) };
    try {
      const asked = {
        ...input,
        services: world.services,
        person: asker.person,
        visitor: { address: 'test', sessionHash: null },
        speaker: speaker('en', en),
        access: () => world.services.access.of(asker.person),
      };
      const answer = await read(asked as never);
      if (answer instanceof Lines) return { status: 200, text: '' };
      if (answer instanceof Download) return { status: 200, text: 'bytes' in answer.file ? answer.file.bytes.toString('latin1') : '' };
      return { status: 200, text: JSON.stringify(inEnglish(answer)) };
    } catch (error) {
      if (error instanceof Problem) return { status: error.status, text: error.message };
      throw error;
    }
  }

  /** What an answer tells of what may not be known of. */
  function leaks(text: string, asked: string, asker: Asker, known: (spot: Spot) => boolean): string[] {
    const found: string[] = [];
    for (const spot of spots) {
      if (known(spot)) continue;
      for (const key of told)
        if (text.includes(world.things[spot][key]) && !asked.includes(world.things[spot][key])) found.push(`${key} ${spot}`);
      for (const words of [`F-${spot.toUpperCase()}`, `O-${spot.toUpperCase()}`, `waits ${spot}`])
        if (text.includes(words)) found.push(words);
    }
    return found.map((what) => `${what} to ${asker.name}`);
  }

  it('has a line that says what it takes, or is one of the few apart', () => {
    const names = named.map(({ name }) => name);
    expect(Object.keys(readings)).toEqual(jasmine.arrayWithExactContents(names.filter((name) => !apart.includes(name))));
    expect(apart.filter((name) => !names.includes(name))).toEqual([]);
  });

  for (const { name, endpoint, read } of named.filter((one) => !apart.includes(one.name))) {
    it(`${name} is answered as grants say, and tells of nothing else`, async () => {
      const reading = readings[name]!;
      const requests = new Map<string, { where: Where; given: object }>();
      for (const where of places) {
        const given = reading.given?.(where === 'absent' ? absent() : world.things[where], world.common) ?? {};
        const text = JSON.stringify(given);
        if (!requests.has(text)) requests.set(text, { where, given });
      }
      const wrong: string[] = [];
      for (const asker of world.askers) {
        // A place is known to who may put something there.
        const known = (spot: Spot): boolean => mayOn(asker, folderSet.get(spot)!, ['discover', 'deposit']);
        for (const [asked, { where, given }] of requests) {
          const { status, text } = await came(read, endpoint, given, asker);
          const right = expected(reading, asker, where);
          if (status !== right) wrong.push(`${asker.name}, ${where}: ${status} instead of ${right} (${text.slice(0, 120)})`);
          for (const one of leaks(text, asked, asker, known)) wrong.push(one);
        }
      }
      expect(wrong).toEqual([]);
    }, 60_000);
  }

  it('counts what somebody may find, and nothing besides', async () => {
    const kept = async (spot: Spot): Promise<string[]> =>
      (
        await world.pool.query<{ id: string }>(`select id from record where places @> array[$1::uuid] and state <> 'disposed'`, [
          world.things[spot].place,
        ])
      ).rows.map((r) => r.id);
    const counted = async (name: string, query: object, asker: Asker): Promise<Record<string, unknown>> => {
      const { endpoint, read } = named.find((one) => one.name === name)!;
      const { text } = await came(read, endpoint, { query }, asker);
      return JSON.parse(text) as Record<string, unknown>;
    };
    const all = new Map(await Promise.all(spots.map(async (spot) => [spot, await kept(spot)] as const)));
    for (const asker of world.askers) {
      const mine = spots.filter((spot) => mayOn(asker, folderSet.get(spot)!, ['discover']));
      const ids = mine.flatMap((spot) => all.get(spot)!);
      expect((await counted('records.count', {}, asker))['count'])
        .withContext(asker.name)
        .toBe(ids.length);
      expect((await counted('records.ids', {}, asker))['ids'])
        .withContext(asker.name)
        .toEqual(jasmine.arrayWithExactContents(ids));
      const { series } = (await counted('plan.rack', {}, asker)) as { series: { kept: number[] }[] };
      expect(series.flatMap((s) => s.kept).reduce((sum, n) => sum + n, 0))
        .withContext(asker.name)
        .toBe(ids.length);
    }
  });
});
