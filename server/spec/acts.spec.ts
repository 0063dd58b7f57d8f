import { inEnglish } from '@key-cellar/words/testing';
import type { Right } from '@key-cellar/core/access';
import type { Endpoint } from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import { acts, type NamedAct } from '../src/http/table.js';
import { carryOut, Problem, type AnyAct, type Kind, type Targets } from '../src/kernel/index.js';
import { examples, free, type Example } from './support/actExamples.js';
import { standing, states, type State } from './support/actStates.js';
import { makeActWorld, spots, type ActWorld, type Asker, type Spot, type Things } from './support/actWorld.js';

/** Acts that ask for a right somewhere: they make something of one’s own, or ask anew for each row of a table. */
const somewhere = ['schedule.importEvents', 'receiving.upload', 'setup.makeEntity', 'holds.makeMatter'];
/** Acts whose work goes on beyond what can be tried and rolled back: only their refusals are tried here. */
const notTried = ['receiving.upload', 'steps.sweep', 'ledger.seal', 'identity.moveClock'];

const places = [...spots, 'astride', 'absent'] as const;
type Where = (typeof places)[number];

/** What the world’s own grants say must come of it. */
type Expected = { readonly status: 'allowed' | 403 | 404 } | { readonly left: readonly string[] };

describe('every act, by every kind of person, on what is inside, outside, hidden, marked, astride and absent', () => {
  let world: ActWorld;
  const named = acts();
  beforeAll(async () => {
    world = await makeActWorld();
  }, 120_000);
  afterAll(() => world.stop());

  const inner = ({ act }: NamedAct): AnyAct => ('each' in act.definition ? act.definition.each : act);

  /** Things that are not there. */
  const absent = (): Things => {
    const like = world.things.inside;
    const ids = Object.fromEntries(Object.keys(like).map((key) => [key, uuidv7()])) as unknown as Things;
    return { ...ids, seriesCode: 'NONE', groupKey: [ids.series, '-', 'destroy', 'electronic'].join('|') };
  };

  /** What is inside, with one record of a state in the place of every other. */
  const inState = (state: State): Things => {
    const { inside } = world.things;
    const record = {
      held: inside.kept,
      frozen: inside.held,
      declared: inside.declared,
      'declared and held': inside.bound,
      'in a batch': inside.item,
      disposed: inside.gone,
    }[state];
    return { ...inside, record, declared: record, held: record };
  };

  const thingsOf = (where: Where | State): Things =>
    where === 'absent' ? absent() : (states as readonly string[]).includes(where) ? inState(where as State) : world.things[where as Spot];

  function inputFor(name: string, endpoint: Endpoint, where: Where | State): { params: unknown; query: unknown; body: unknown } {
    const given: Example = examples[name]!(thingsOf(where), world.common, world);
    return {
      params: endpoint.params.parse(given.params ?? {}),
      query: endpoint.query.parse(given.query ?? {}),
      body: endpoint.body.parse(given.body ?? {}),
    };
  }

  function oracle(asker: Asker) {
    return <Row>(kind: Kind<Row>, row: Row, right: Right): boolean => {
      if (kind.mine?.(row, asker.person)) return true;
      const sets = kind.sets(row);
      const anywhere = [world.rootSet, ...spots.map((s) => setOf.get(s)!)].some((set) => world.may(asker, set, right));
      if (sets === 'anywhere')
        return anywhere || (asker.profile === 'depositor' && asker.inForce && (right === 'discover' || right === 'read'));
      return (sets.length === 0 ? [world.rootSet] : sets).every((set) => world.may(asker, set, right));
    };
  }

  /** Whether it makes a difference to an act in which state its record is: whether it names one. */
  const onRecord = ({ name, act }: NamedAct): boolean =>
    JSON.stringify(inputFor(name, act.endpoint, 'held')) !== JSON.stringify(inputFor(name, act.endpoint, 'declared'));

  const setOf = new Map<Spot, number>();
  beforeAll(async () => {
    for (const spot of spots) {
      const { rows } = await world.pool.query<{ access_set_id: number }>('select access_set_id from place where id = $1', [
        world.things[spot].place,
      ]);
      setOf.set(spot, rows[0]!.access_set_id);
    }
  });

  async function expected(act: AnyAct, input: object, asker: Asker): Promise<Expected> {
    const may = oracle(asker);
    const access = await world.services.access.of(asker.person);
    const found: Record<string, unknown> = {};
    const left: string[] = [];
    let many = false;
    for (const [key, target] of Object.entries((act.definition as { on: Targets<unknown> }).on)) {
      const { kind } = target;
      const ids = [...new Set(await target.ids(input, { db: world.pool, person: asker.person, access }))];
      const rows = ids.length === 0 ? [] : await kind.find(world.pool, ids, false, asker.person);
      const known = rows.filter(
        (row) =>
          kind.see.length === 0 ||
          kind.see.some((right) => may(kind.knownAnywhere ? { ...kind, sets: () => 'anywhere' as const } : kind, row, right)),
      );
      const lacks = (row: unknown): boolean => {
        const asked = typeof target.right === 'string' ? target.right : target.right.of(input, row as never, found);
        return (asked === null ? [] : typeof asked === 'string' ? [asked] : asked).some((right) => !may(kind, row as never, right));
      };
      if (target.number === 'many') {
        many = true;
        const allowed = known.filter((row) => !lacks(row));
        const ok = new Set(allowed.map((row) => kind.id(row)));
        for (const id of ids) if (!ok.has(id)) left.push(id);
        found[key] = allowed;
      } else {
        if (known.length === 0 && ids.length > 0) return { status: 404 };
        if (known.some(lacks)) return { status: 403 };
        found[key] = known[0];
      }
    }
    return many && left.length > 0 ? { left } : { status: 'allowed' };
  }

  /** What came of it: refused by rights, or not. Nothing of it is kept. */
  async function came(act: AnyAct, input: object, asker: Asker): Promise<{ status: number | 'allowed'; text: string }> {
    try {
      const answer: unknown = await carryOut(world.services, asker.person, act, input as never, { trial: true });
      return { status: 'allowed', text: JSON.stringify(inEnglish(answer)) };
    } catch (error) {
      if (!(error instanceof Problem)) {
        // The database refuses in its own words what the core does not ask: that is no question of rights.
        if (error instanceof Error && 'code' in error) return { status: 'allowed', text: error.message };
        throw error;
      }
      return error.status === 403 || error.status === 404
        ? { status: error.status, text: error.message }
        : { status: 'allowed', text: error.message };
    }
  }

  it('has an example, or is one of the few that ask for no right', () => {
    const withOut = named.filter(({ name }) => !examples[name]).map(({ name }) => name);
    expect(withOut).toEqual(free);
    const anywhere = named.filter(
      (one) =>
        !free.includes(one.name) &&
        Object.values((inner(one).definition as { on: Targets<unknown> }).on).some((t) => t.kind.word === 'somewhere'),
    );
    expect(anywhere.map(({ name }) => name)).toEqual(jasmine.arrayWithExactContents(somewhere));
  });

  for (const one of named) {
    const { name } = one;
    if (free.includes(name)) continue;
    it(
      name,
      async () => {
        const act = inner(one);
        const wrong: string[] = [];
        for (const asker of world.askers) {
          for (const where of [...places, ...states]) {
            const input = inputFor(name, one.act.endpoint, where);
            if ((states as readonly string[]).includes(where) && !onRecord(one)) continue;
            const asked = 'each' in one.act.definition ? { body: (input.body as { filings: unknown[] }).filings[0] } : input;
            const want = await expected(act, asked, asker);
            const allowed = 'status' in want && want.status === 'allowed';
            if (allowed && notTried.includes(name)) continue;
            const got = await came(act, asked, asker);
            const context = `${asker.name}, ${where}`;
            if ('left' in want) {
              // Of many: those that the person may not do it to are told as such, one by one, or all of it is refused.
              const told =
                got.status !== 'allowed' ||
                /right|may not see|not found|was not put to you|None of these|is due any more|is held/.test(got.text);
              if (!told) wrong.push(`${context}: ${want.left.length} should be left out, and came ${got.text.slice(0, 200)}`);
            } else if (got.status !== want.status) {
              wrong.push(`${context}: wanted ${want.status}, came ${got.status} (${got.text.slice(0, 160)})`);
            }
          }
        }
        expect(wrong).toEqual([]);
      },
      60_000,
    );
  }

  it('enters under a name of its own in the table, or not at all', async () => {
    const keeper = world.askers.find((asker) => asker.name === 'keeper of all')!;
    const { act } = named.find((one) => one.name === 'holds.makeMatter')!;
    const entering = (entry: unknown): AnyAct => ({
      ...act,
      definition: {
        ...act.definition,
        write: () => Promise.resolve({ answer: {}, entry: entry as null }),
      },
    });
    const carriedOut = (entry: unknown): Promise<unknown> =>
      carryOut(world.services, keeper.person, entering(entry), inputFor('holds.makeMatter', act.endpoint, 'inside') as never, {
        trial: true,
      });
    const entry = (name: string) => ({ act: name, subject: { kind: 'matter', id: null, name: 'M' } });
    await expectAsync(carriedOut(entry('opened a matter'))).toBeResolved();
    await expectAsync(carriedOut(entry('did something else'))).toBeRejectedWithError(/did something else/);
    // Nothing to enter is said as such; an empty list of entries is an act that forgot its own.
    await expectAsync(carriedOut(null)).toBeResolved();
    await expectAsync(carriedOut([])).toBeRejectedWithError(/changed something and entered nothing/);
  });

  it('what the state of a record forbids, it forbids a keeper of all of it too, and nothing else', async () => {
    const keeper = world.askers.find((asker) => asker.name === 'keeper of all')!;
    const told: Record<string, Partial<Record<State, string>>> = {};
    for (const one of named.filter(({ name }) => !free.includes(name))) {
      for (const state of states) {
        const input = inputFor(one.name, one.act.endpoint, state);
        if (!onRecord(one)) continue;
        const { text } = await came(inner(one), input, keeper);
        // Of one it is refused in a sentence; of many the sentence stands in its line.
        const line = text.startsWith('{')
          ? (JSON.parse(text) as { results?: { outcome: string; why?: string }[] }).results?.[0]
          : undefined;
        (told[one.name] ??= {})[state] = text.startsWith('{') ? (line?.why ?? line?.outcome ?? 'done') : text;
      }
    }
    expect(told).toEqual(standing);
  });
});
