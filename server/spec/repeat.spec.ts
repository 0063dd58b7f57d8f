import { profileIn, profilesWith, rightSet } from '@key-cellar/core/access';
import { acts, type NamedAct } from '../src/http/table.js';
import { carryOut, Problem, targetsOf, type AnyAct, type Services } from '../src/kernel/index.js';
import { examples, free } from './support/actExamples.js';
import { makeActWorld, type ActWorld } from './support/actWorld.js';
import { setClock } from './support/world.js';
import { asOwner, copyOf, dropDatabase } from './support/database.js';
import { inStillness } from './support/still.js';

/** Left out: what has no example, what comes as a stream or line by line, and what the day of the request decides. */
const left: readonly string[] = [...free, 'receiving.upload', 'receiving.file', 'identity.moveClock'];
/** What comes before an act, so that it can be done at all. */
const beforehand: Record<string, readonly string[]> = {
  'stencils.nameRoles': ['stencils.applyTo'],
  'plan.reopenFolder': ['plan.closeFolder'],
  'plan.unsetRule': ['plan.setRule'],
  'schedule.unsetPair': ['schedule.setPair'],
  'schedule.moveCriteriaRule': ['schedule.addCriteriaRule'],
  'docket.approve': ['docket.answer'],
  'docket.execute': ['docket.answer', 'docket.approve'],
};
/** A day on which the notices of batches have run. */
const later = '2027-06-30';
/** Acts whose example is refused as things stand in that world, so that there is no second time. */
const refusedAtOnce = [
  'access.withdrawRaise',
  'docket.announce',
  'docket.confirm',
  'holds.acknowledge',
  'people.mailTest',
  'identity.endSession',
  'identity.readMessage',
  'schedule.cancelJob',
];

/** What the database holds, by table; `told`: with what only tells of it. */
async function holdings(database: string, told: boolean): Promise<Record<string, number>> {
  return asOwner(database, async (client) => {
    const { rows: tables } = await client.query<{ name: string }>(
      `select relname as name from pg_class where relkind = 'r' and relnamespace = 'public'::regnamespace
         and ($1 or relname !~ '^(ledger|tree|job)') order by relname`,
      [told],
    );
    const { rows } = await client.query<{ name: string; n: number }>(
      tables.map(({ name }) => `select '${name}' as name, count(*)::int as n from ${name}`).join(' union all '),
    );
    return Object.fromEntries(rows.map(({ name, n }) => [name, n]));
  });
}

const uniqueViolation = '23505';

const sum = (held: Record<string, number>): number => Object.values(held).reduce((a, b) => a + b, 0);

describe('the same request a second time', () => {
  let world: ActWorld;
  beforeAll(async () => {
    world = await makeActWorld();
    await world.running.stop();
  }, 120_000);
  afterAll(() => dropDatabase(world.database));

  /** Works over a copy of the world, in which nothing goes on by itself. */
  async function inCopy(work: (services: Services, database: string) => Promise<void>): Promise<void> {
    const database = await copyOf(world.database);
    try {
      await inStillness(database, (services) => work(services, database));
    } finally {
      await dropDatabase(database);
    }
  }

  for (const { name, act } of acts().filter((one) => !left.includes(one.name))) {
    const { repeat } = act.definition as { repeat: 'same' | 'another' | 'refused' };
    it(`${name}: ${repeat}`, () =>
      inCopy(async (services, database) => {
        // What is set up is so by administrators, and by nobody else that is here.
        const settingUp = profileIn(profilesWith([]), 'administrator').rights;
        const whose = targetsOf(act).needs.some(({ may }) => (rightSet(...may) & settingUp) !== 0)
          ? 'administrator of all'
          : 'keeper of all';
        const { person } = world.askers.find((asker) => asker.name === whose)!;
        const asker = { ...person, ...(name in beforehand ? { today: later } : {}) };
        await setClock(services.pool, asker.today);
        const does = (one: NamedAct): Promise<string> => {
          const given = examples[one.name]!(world.things.inside, world.common, world);
          const { params, query, body } = one.act.endpoint;
          const input = {
            params: params.parse(given.params ?? {}),
            query: query.parse(given.query ?? {}),
            body: body.parse(given.body ?? {}),
          };
          // As of now: what was given a moment ago is known.
          asker.accessEpoch += 1000;
          return carryOut(services, asker, one.act as AnyAct, input as never).then(
            () => 'done',
            (error: unknown) => {
              // What is there already the database refuses, and a request is told so.
              if (error instanceof Problem || (error as { code?: string }).code === uniqueViolation) return (error as Error).message;
              throw error;
            },
          );
        };
        const once = (): Promise<string> => does({ name, act });
        for (const earlier of beforehand[name] ?? []) expect(await does(acts().find((one) => one.name === earlier)!)).toBe('done');
        const first = await once();
        expect(first === 'done')
          .withContext(first)
          .toBe(!refusedAtOnce.includes(name));
        if (first !== 'done') return;
        const before = await holdings(database, repeat === 'another');
        const second = await once();
        const after = await holdings(database, repeat === 'another');
        expect(second === 'done')
          .withContext(second)
          .toBe(repeat !== 'refused');
        if (repeat === 'another') expect(sum(after)).toBeGreaterThan(sum(before));
        else expect(after).toEqual(before);
      }));
  }
});
