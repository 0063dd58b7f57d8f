import type { NumberingLine } from '@key-cellar/contract';
import {
  countingScope,
  numberFor,
  numberingRefusal,
  parseNumbering,
  usualNumbering,
  type CountScope,
  type Numbering,
  type NumberPart,
} from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { row, rows, run, withUnitOfWork, type Db, type UnitOfWork } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import type { PlaceRow } from '../plan/index.js';
import { changedMeanwhile, notFound, Problem, wrongField } from '../problem.js';
import type { Services } from '../services.js';
import type { CheckedFacts } from './facts.js';
import type { TypeRow } from './factStore.js';

interface NumberingRow extends Record<string, unknown> {
  id: string;
  title: string;
  pattern: string;
  per: CountScope[];
  gapless: boolean;
  revision: number;
}

const columns = 'id, title, pattern, per, gapless, revision';
/** The scheme that holds where none is set. */
const usual: NumberingRow = {
  ...usualNumbering,
  id: '00000000-0000-0000-0000-000000000000',
  title: 'the usual numbering',
  per: [...usualNumbering.per],
  gapless: true,
  revision: 0,
};
/** How many numbers that are taken already are passed over: they came from another scheme, or from before this one. */
const mostTaken = 10_000;

function partsOf(numbering: Numbering): readonly NumberPart[] {
  const parsed = parseNumbering(numbering.pattern);
  if (!parsed.ok) throw new Error(parsed.sentence);
  return parsed.value;
}

async function nextCount(db: Db, numberingId: string, scope: string): Promise<number> {
  const found = await row<{ last: number }>(
    db,
    'numbering.next',
    `insert into numbering_counter as c (numbering_id, scope, last) values ($1, $2, 1)
     on conflict (numbering_id, scope) do update set last = c.last + 1 returning last`,
    [numberingId, scope],
  );
  return found!.last;
}

async function isTaken(db: Db, number: string): Promise<boolean> {
  return (await row(db, 'numbering.taken', 'select from record where number = $1', [number])) !== undefined;
}

function pathOf(chain: readonly PlaceRow[]): string {
  return chain.filter((p) => p.kind === 'series' || p.kind === 'folder').map((p) => p.code).join('/'); // prettier-ignore
}

/**
 * Gives a record its number, by the scheme of the nearest place that has one. Of a gapless scheme the count is part of the
 * caller's transaction: when it is rolled back the number was never given, and filings of one scope wait for each other. Of
 * the others it is counted at once on a connection of its own, so that nobody waits; a number that is not used is left out.
 */
export async function giveNumber(
  services: Services,
  uow: UnitOfWork,
  what: { chain: readonly PlaceRow[]; type: TypeRow; facts: CheckedFacts['worded']; on: string },
): Promise<string> {
  const { chain, type, facts, on } = what;
  const series = chain.find((p) => p.kind === 'series')!;
  const place = chain.at(-1)!;
  const numberingId = [...chain].reverse().find((p) => p.numbering_id !== null)?.numbering_id ?? null;
  const values = { series: series.code, place: pathOf(chain), type: type.code, on, facts };
  const ids = { series: series.id, place: place.id, type: type.code };
  const numbering = numberingId === null ? usual : (await numberingById(uow, numberingId))!;
  const parts = partsOf(numbering);
  const scope = countingScope(numbering.per, ids, on);
  // What is missing is said before anything is counted.
  const first = numberFor(parts, values, 1);
  if (!first.ok) throw new Problem(422, 'no-number', first.sentence, [{ pointer: '/facts', sentence: first.sentence }]);
  for (let tried = 0; tried < mostTaken; tried++) {
    const count = await nextCount(numbering.gapless ? uow : services.countPool, numbering.id, scope);
    const number = numberFor(parts, values, count);
    if (!number.ok) throw new Problem(422, 'no-number', number.sentence);
    if (!(await isTaken(uow, number.value))) return number.value;
  }
  throw new Problem(
    409,
    'numbers-taken',
    `The numbers of ${numbering === usual ? usual.title : `“${numbering.title}”`} are taken by others. A keeper can change its pattern.`,
  );
}

function numberingById(db: Db, id: string) {
  return row<NumberingRow>(db, 'numbering.byId', `select ${columns} from numbering where id = $1`, [id]);
}

export async function listNumberings(services: Services, person: SignedIn): Promise<NumberingLine[]> {
  const access = await services.access.of(person);
  const [found, places] = await Promise.all([
    rows<NumberingRow & { used: boolean }>(
      services.pool,
      'numbering.all',
      `select ${columns}, exists (select from numbering_counter c where c.numbering_id = numbering.id) as used from numbering order by title`,
    ),
    rows<{ id: string; code: string; title: string; numbering_id: string }>(
      services.pool,
      'numbering.places',
      'select id, code, title, numbering_id from place where numbering_id is not null and access_set_id = any ($1::int[]) order by code',
      [access.sets('discover')],
    ),
  ]);
  return found.map((n) => ({
    ...n,
    places: places.filter((p) => p.numbering_id === n.id).map(({ id, code, title }) => ({ id, code, title })),
  }));
}

type Input = Numbering & { readonly title: string; readonly gapless: boolean };

function requireSound(input: Input): void {
  const refusal = numberingRefusal(input);
  if (refusal) throw wrongField('/pattern', refusal);
}

const subject = (n: { id: string; title: string }) => ({ kind: 'numbering', id: n.id, name: n.title });

export async function makeNumbering(services: Services, person: SignedIn, input: Input): Promise<string> {
  requireSound(input);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const id = uuidv7();
    await run(uow, 'numbering.add', 'insert into numbering (id, title, pattern, per, gapless) values ($1, $2, $3, $4, $5)', [
      id,
      input.title,
      input.pattern,
      input.per,
      input.gapless,
    ]);
    uow.enter({ act: 'made a numbering', subject: subject({ id, title: input.title }), after: input });
    return id;
  });
}

async function lockAtRevision(uow: UnitOfWork, id: string, revision: number): Promise<NumberingRow> {
  const found = await row<NumberingRow>(uow, 'numbering.lock', `select ${columns} from numbering where id = $1 for update`, [id]);
  if (!found) throw notFound('This numbering');
  if (found.revision !== revision) throw changedMeanwhile();
  return found;
}

export async function changeNumbering(
  services: Services,
  person: SignedIn,
  id: string,
  input: Input & { readonly revision: number },
): Promise<number> {
  requireSound(input);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const before = await lockAtRevision(uow, id, input.revision);
    const { revision: _revision, ...after } = input;
    await run(
      uow,
      'numbering.write',
      'update numbering set title = $2, pattern = $3, per = $4, gapless = $5, revision = revision + 1 where id = $1',
      [id, input.title, input.pattern, input.per, input.gapless],
    );
    uow.enter({ act: 'changed a numbering', subject: subject({ id, title: input.title }), before, after });
    return before.revision + 1;
  });
}

/** Removes a scheme by which nothing was ever numbered. One that gave a number stays: its number must not be given again. */
export async function dropNumbering(services: Services, person: SignedIn, id: string, revision: number): Promise<void> {
  await withUnitOfWork(services.pool, person, async (uow) => {
    const before = await lockAtRevision(uow, id, revision);
    const of = await row<{ places: number; used: boolean }>(
      uow,
      'numbering.use',
      `select (select count(*)::int from place where numbering_id = $1) as places, exists (select from numbering_counter where numbering_id = $1) as used`,
      [id],
    );
    if (of!.used) throw new Problem(409, 'numbering-used', `“${before.title}” gave numbers, so it stays: none may be given twice.`);
    if (of!.places > 0) throw new Problem(409, 'numbering-set', `“${before.title}” is set on ${of!.places === 1 ? 'a place' : `${of!.places} places`}. Set another there first.`); // prettier-ignore
    await run(uow, 'numbering.drop', 'delete from numbering where id = $1', [id]);
    uow.enter({ act: 'removed a numbering', subject: subject(before), before });
  });
}

export async function setPlaceNumbering(
  services: Services,
  person: SignedIn,
  place: { id: string; code: string; title: string },
  numberingId: string | null,
): Promise<void> {
  await withUnitOfWork(services.pool, person, async (uow) => {
    // Shared with others who set it, kept from being removed meanwhile.
    const numbering =
      numberingId === null
        ? null
        : await row<NumberingRow>(uow, 'numbering.share', `select ${columns} from numbering where id = $1 for key share`, [numberingId]);
    if (numbering === undefined) throw notFound('This numbering');
    await run(uow, 'place.numbering', 'update place set numbering_id = $2, revision = revision + 1 where id = $1', [place.id, numberingId]);
    uow.enter({
      act: 'set the numbering of a place',
      subject: { kind: 'place', id: place.id, name: `${place.code} ${place.title}` },
      after: { numbering: numbering?.title ?? null },
    });
  });
}
