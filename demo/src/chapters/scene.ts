import type { Endpoint, ParamsOf, BodyOf, ToldOf } from '@key-cellar/contract';
import { civilDate, dateInZone } from '@key-cellar/core/calendar';
import { row, run, carryOut, type Services, type SignedIn, type ActOf } from '@key-cellar/server';
import { people, type GroupCode } from '../people.js';

export const timeZone = 'Europe/Dublin';
export const begin = '1998-01-01';

export interface Loaded {
  readonly services: Services;
  readonly personId: ReadonlyMap<string, string>;
  readonly groupId: ReadonlyMap<GroupCode, string>;
  readonly placeId: ReadonlyMap<string, string>;
  readonly rootId: string;
}

const dayMs = 86_400_000;

/** Sets the repository's clock so that it is this day there now. */
export async function setClock(services: Services, today: string): Promise<void> {
  const now = Date.now();
  const wanted = civilDate(today);
  const days = wanted - dateInZone(now, timeZone);
  // Summer time may hold there and not now: near midnight the clock would show the day beside.
  const offsetDays = days + wanted - dateInZone(now + days * dayMs, timeZone);
  await run(
    services.pool,
    'demo.clock',
    `insert into setting (name, value) values ('clock', $1) on conflict (name) do update set value = excluded.value`,
    [JSON.stringify({ demo: true, offsetDays })],
  );
}

/** A person as if signed in on a day. */
export async function as(loaded: Loaded, login: string, today: string): Promise<SignedIn> {
  const demo = people.find((p) => p.login === login)!;
  const epoch = await row<{ value: number }>(loaded.services.pool, 'demo.epoch', `select value from epoch where name = 'access'`);
  return {
    id: loaded.personId.get(login)!,
    name: demo.name,
    login,
    from: 'demo',
    today,
    clearance: { level: demo.clearance, caveats: demo.caveats },
    accessEpoch: epoch!.value,
    demo: true,
    repository: 'Marrowick Harbour Authority',
    timeZone,
    sessionHash: Buffer.alloc(0),
    factorMissing: false,
    scopes: null,
    language: null,
  };
}

const perInsert = 400;

export async function inParts<T>(items: readonly T[], work: (part: T[]) => Promise<unknown>): Promise<void> {
  for (let i = 0; i < items.length; i += perInsert) await work(items.slice(i, i + perInsert));
}

/** Carries an act out as somebody, on a day: by the same rules as everybody else. */
export async function perform<E extends Endpoint, On>(
  { services }: Loaded,
  person: SignedIn,
  act: ActOf<E, Services, On>,
  given: { params?: ParamsOf<E>; body?: BodyOf<E> },
): Promise<ToldOf<E>> {
  return carryOut(services, person, act, given as never);
}

/** What happens on one day of the story. */
export async function on(
  loaded: Loaded,
  day: string,
  work: (person: (login: string) => Promise<SignedIn>) => Promise<unknown>,
): Promise<void> {
  await setClock(loaded.services, day);
  await work((login) => as(loaded, login, day));
}
