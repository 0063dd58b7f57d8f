import { message } from '@key-cellar/words';
import type { Endpoint, OutcomeLine, ToldOf, Told } from '@key-cellar/contract';
import { hasRight, may, type Right } from '@key-cellar/core/access';
import type { SignedIn } from './actor.js';
import type { PersonAccess } from './authority.js';
import type { Db } from './connect.js';
import { rootSet } from './guardStore.js';
import { SessionChange } from './session.js';
import { notAllowed, notFound, refused, tellProblem, type Problem } from './problem.js';
import type { Services } from './services.js';
import { inSavepoint, withUnitOfWork, type Act as Entry, type UnitOfWork } from './unitOfWork.js';
import {
  type ActOf,
  type AnyAct,
  type Entered,
  type Found,
  type Given,
  type Input,
  type Kind,
  type Several,
  type Subject,
  type Target,
  type Targets,
  namesOf,
} from './act.js';

function mayDo<Row>(kind: Kind<Row>, row: Row, who: Asking, right: Right): boolean {
  if (kind.mine?.(row, who.person)) return true;
  const own = kind.depositor?.(row) === who.person.id;
  const sets = kind.sets(row);
  if (sets === 'anywhere') return hasRight(who.access.anywhere, right);
  // What stands nowhere belongs to the repository; where there is no repository yet, nobody may do anything.
  const asked = sets.length > 0 ? sets : who.root === null ? [] : [who.root];
  return asked.length > 0 && asked.every((set) => may(who.access.on(set), right, own));
}

interface Asking {
  readonly person: SignedIn;
  readonly access: PersonAccess;
  readonly root: number | null;
}

const mayKnow = <Row>(kind: Kind<Row>, row: Row, who: Asking): boolean =>
  kind.see.length === 0 ||
  kind.see.some((right) => (kind.knownAnywhere ? hasRight(who.access.anywhere, right) : mayDo(kind, row, who, right)));

/** Those of some rows that a person may know of, for pages and lists: by the same rule as acts. */
export async function mayKnowOf<Row, R extends Row>(
  db: Db,
  kind: Kind<Row>,
  rows: readonly R[],
  person: SignedIn,
  access: PersonAccess,
): Promise<R[]> {
  const who: Asking = { person, access, root: await rootSet(db) };
  return rows.filter((row) => mayKnow(kind, row, who));
}

/** Whether a person has a right on one thing, by the same rule as acts. */
export async function mayDoTo<Row>(
  db: Db,
  kind: Kind<Row>,
  row: Row,
  right: Right,
  person: SignedIn,
  access: PersonAccess,
): Promise<boolean> {
  return mayDo(kind, row, { person, access, root: await rootSet(db) }, right);
}

function missingRight<I, Row>(
  target: Target<I, Row, 'one' | 'many' | 'perhaps'>,
  input: I,
  row: Row,
  who: Asking,
  found: Record<string, unknown>,
): Right | null {
  const asked = typeof target.right === 'string' ? target.right : target.right.of(input, row, found);
  const rights = asked === null ? [] : typeof asked === 'string' ? [asked] : asked;
  return rights.find((right) => !mayDo(target.kind, row, who, right)) ?? null;
}

const unknownLine = (id: string): Told<OutcomeLine> => ({
  id,
  name: 'unknown',
  outcome: 'refused',
  why: message('problem.notFound', { what: message('problem.it') }),
});

/** Loads what an act is on, in the order of the table, and leaves only what the person may do it to. */
async function findAll<I>(
  db: Db,
  targets: Targets<I>,
  input: I,
  who: Asking,
  lock: boolean,
): Promise<{ on: Record<string, unknown>; left: Told<OutcomeLine>[] }> {
  const on: Record<string, unknown> = {};
  const left: Told<OutcomeLine>[] = [];
  for (const [key, target] of Object.entries(targets)) {
    const { kind } = target;
    const ids = [...new Set(await target.ids(input, { db, person: who.person, access: who.access }))];
    const found = ids.length === 0 ? [] : await kind.find(db, ids, lock && target.lock, who.person);
    const asked = new Map(ids.map((id, i) => [id, i]));
    // Locked in order of their ids, answered in the order that was asked.
    const known = found
      .filter((row) => mayKnow(kind, row, who))
      .sort((a, b) => (asked.get(kind.id(a)) ?? 0) - (asked.get(kind.id(b)) ?? 0));
    if (target.number === 'many') {
      const allowed = [];
      for (const row of known) {
        const missing = missingRight(target, input, row, who, on);
        if (missing === null) allowed.push(row);
        else left.push({ id: kind.id(row), name: kind.subject(row).name, outcome: 'refused', why: notAllowed(missing, target.who).said });
      }
      const seen = new Set(known.map((row) => kind.id(row)));
      for (const id of ids) if (!seen.has(id)) left.push(unknownLine(id));
      on[key] = allowed;
      continue;
    }
    const [row] = known;
    if (row === undefined && ids.length > 0) throw notFound(kind.what);
    if (row !== undefined) {
      const missing = missingRight(target, input, row, who, on);
      if (missing !== null) throw notAllowed(missing, target.who);
    }
    on[key] = row;
  }
  return { on, left };
}

function enter(uow: UnitOfWork, act: AnyAct, on: Record<string, unknown>, said: Entered | readonly Entered[] | null): void {
  if (said === null) return;
  const { definition } = act;
  if ('each' in definition) return;
  const [name] = typeof definition.name === 'string' ? [definition.name] : definition.name.length === 1 ? definition.name : [];
  const main = (): Subject | undefined => {
    if (!('on' in definition)) return undefined;
    const [first] = Object.entries(definition.on as Targets<unknown>);
    return first && first[1].number !== 'many' ? first[1].kind.subject(on[first[0]]) : undefined;
  };
  for (const one of Array.isArray(said) ? (said as readonly Entered[]) : [said as Entered]) {
    const entered = one.act ?? name;
    const subject = one.subject ?? main();
    if (entered === undefined || subject === undefined)
      throw new Error(`An entry of ${act.endpoint.path} does not say what was done to what.`);
    uow.enter({ ...one, act: entered, subject });
  }
}

/** Entries under names that the table does not have would be missing from the list of acts. */
const onlyNamed =
  (act: AnyAct, changed: () => boolean) =>
  (entered: readonly Entry[]): void => {
    const names = new Set(namesOf(act));
    const other = entered.find((e) => !names.has(e.act));
    if (other) throw new Error(`${act.endpoint.path} entered “${other.act}”, which the table of acts does not say of it.`);
    if (entered.length === 0 && changed()) throw new Error(`${act.endpoint.path} changed something and entered nothing.`);
  };

/**
 * Carries an act out: loads what it is on under locks in the table’s order, leaves what the person may not know of as if
 * it were not there (404), refuses what they may not do (403), asks the core, writes, enters. A trial keeps nothing.
 * Throws a {@link Problem} for every refusal.
 */
export async function carryOut<E extends Endpoint, S extends Services, On>(
  services: S,
  person: SignedIn,
  act: ActOf<E, S, On>,
  asked: Partial<Input<E>>,
  how: { readonly trial?: boolean } = {},
): Promise<ToldOf<E>> {
  const input = { params: {}, query: {}, body: {}, ...asked } as Input<E>;
  const { definition } = act;
  if ('free' in definition) {
    const answer = await definition.free({ ...input, services, address: person.from, agent: '', person, leaving: null });
    return answer instanceof SessionChange ? ({} as ToldOf<E>) : answer;
  }
  if ('each' in definition) {
    return definition.carryEach(input, (item) => carryOut(services, person, definition.each, { body: item }, how), services.log);
  }
  const trial = (how.trial ?? false) || (definition.tries?.(input) ?? false);
  const access = await services.access.of(person);
  const targets = definition.on as Targets<Input<E>>;
  const find = async (db: Db, lock: boolean) => {
    const who: Asking = { person, access, root: await rootSet(db) };
    const { on, left } = await findAll(db, targets, input, who, lock);
    return { ...input, services, person, access, on: on as Found<On>, left, trial } satisfies Given<E, S, On>;
  };
  const { gate = 'shared' } = definition;
  if ('perform' in definition) {
    const given = await find(services.pool, false);
    return definition.perform(given, (part) =>
      withUnitOfWork(services.pool, person, part, gate, { trial, check: onlyNamed(act, () => false) }),
    );
  }
  let unchanged = false;
  const done = await withUnitOfWork(
    services.pool,
    person,
    async (uow) => {
      await definition.first?.(uow);
      const given = await find(uow, true);
      const refusal = definition.decide?.(given) ?? null;
      if (refusal) throw refused(refusal);
      const { answer, entry } = await definition.write(uow, given);
      unchanged = entry === null;
      enter(uow, act, given.on as Record<string, unknown>, entry);
      return answer;
    },
    gate,
    { trial, check: onlyNamed(act, () => !unchanged) },
  );
  if (trial || !definition.follow) return done;
  return definition.follow(services, done).catch((error: unknown) => {
    services.log.warn({ err: error }, 'what follows an act goes on later');
    return done;
  });
}

/**
 * Does the same to each of many, each in a transaction of its own, and tells line by line what came of it: whatever goes wrong with one,
 * in the core or in the database, is that line’s reason. A trial does all of it in one transaction, so that each sees what those before
 * it did, and keeps nothing.
 */
export async function carryEach<Item, Line>(
  carry: Several,
  { trial, log }: { readonly trial: boolean; readonly log: Services['log'] },
  items: readonly Item[],
  { part, refused: told }: { part(uow: UnitOfWork, item: Item): Promise<Line>; refused(item: Item, why: Problem): Line },
): Promise<Line[]> {
  const each = async (one: Several): Promise<Line[]> => {
    const lines: Line[] = [];
    for (const item of items) {
      lines.push(await one((uow) => part(uow, item)).catch((error: unknown) => told(item, tellProblem(log, error, 'one of many failed'))));
    }
    return lines;
  };
  return trial ? carry((uow) => each((work) => inSavepoint(uow, work))) : each(carry);
}
