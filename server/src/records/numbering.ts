import type { NumberingLine } from '@key-cellar/contract';
import { countingScope, numberFor, parseNumbering, usualNumbering, type Numbering, type NumberPart } from '@key-cellar/core/records';
import { message } from '@key-cellar/words';
import { Problem, type PersonAccess, type UnitOfWork } from '../kernel/index.js';
import type { CheckedFacts, TypeRow } from '../facts/index.js';
import type { PlaceRow } from '../plan/index.js';
import * as store from './numberingStore.js';
import type { Services } from './services.js';

/** The scheme that holds where none is set. */
const usual: store.NumberingRow = {
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
  if (!parsed.ok) throw new Error(parsed.sentence.say);
  return parsed.value;
}

function pathOf(chain: readonly PlaceRow[]): string {
  return chain
    .filter((p) => p.kind === 'series' || p.kind === 'folder')
    .map((p) => p.code)
    .join('/');
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
  const numbering = numberingId === null ? usual : (await store.numberingById(uow, numberingId))!;
  const parts = partsOf(numbering);
  const scope = countingScope(numbering.per, ids, on);
  // What is missing is said before anything is counted.
  const first = numberFor(parts, values, 1);
  if (!first.ok) throw new Problem(422, 'no-number', first.sentence, [{ pointer: '/facts', sentence: first.sentence }]);
  for (let tried = 0; tried < mostTaken; tried++) {
    const count = await store.nextCount(numbering.gapless ? uow : services.countPool, numbering.id, scope);
    const number = numberFor(parts, values, count);
    if (!number.ok) throw new Problem(422, 'no-number', number.sentence);
    if (!(await store.isTaken(uow, number.value))) return number.value;
  }
  throw new Problem(
    409,
    'numbers-taken',
    numbering === usual ? message('records.usualNumbersTaken') : message('records.numbersTaken', { title: numbering.title }),
  );
}

/** Numbering schemes, and the places that number by them, as far as the person may know of those. */
export async function listNumberings(services: Services, access: PersonAccess): Promise<NumberingLine[]> {
  const [found, places] = await Promise.all([
    store.numberings(services.pool),
    store.numberedPlaces(services.pool, access.sets('discover')),
  ]);
  return found.map((n) => ({
    ...n,
    places: places.filter((p) => p.numbering_id === n.id).map(({ id, code, title }) => ({ id, code, title })),
  }));
}
