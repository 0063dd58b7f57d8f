import type { Arrival, Filing, FilingResult } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { takesRecords } from '@key-cellar/core/plan';
import { takesRefusal, titleFromFileName, type Facts } from '@key-cellar/core/records';
import type { Explanation } from '@key-cellar/core/schedule';
import { uuidv7 } from 'uuidv7';
import { withUnitOfWork, type UnitOfWork } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { openPlace, placesByIds, shutAround, takesAround, type PlaceRow } from '../plan/index.js';
import { notAllowed, notFound, Problem, problemOf, wrongField } from '../problem.js';
import {
  addRecord,
  addVersion,
  checkFacts,
  claimUnique,
  containerById,
  declareRecords,
  dropUnusedContent,
  giveNumber,
  recordType,
  recordWords,
  type CheckedFacts,
  type NewRecord,
  type TypeRow,
} from '../records/index.js';
import { explainJudged, judge, recompute, type ClockRow } from '../schedule/index.js';
import type { Services } from '../services.js';
import * as store from './store.js';

async function filesForOthers(services: Services, person: SignedIn): Promise<boolean> {
  return hasRight((await services.access.of(person)).anywhere, 'dispose');
}

export async function listArrivals(services: Services, person: SignedIn): Promise<Arrival[]> {
  const access = await services.access.of(person);
  const found = await store.arrivals(services.pool, person.id, await filesForOthers(services, person));
  const same = await store.recordsWithContent(services.pool, [...new Set(found.map((a) => a.content_id))], access.sets('discover'));
  return found.map((a) => ({
    id: a.id,
    fileName: a.file_name,
    changed: a.changed,
    size: a.size,
    mediaType: a.media_type,
    sha256: a.sha256.toString('hex'),
    source: a.source,
    arrivedAt: a.arrived_at.toISOString(),
    placeId: a.place_id,
    suggestedTitle: titleFromFileName(a.file_name),
    sameAs: [
      ...same.filter((s) => s.content_id === a.content_id).map((s) => ({ kind: 'record' as const, id: s.id, name: s.name })),
      ...found
        .filter((b) => b.id !== a.id && b.content_id === a.content_id)
        .map((b) => ({ kind: 'arrival' as const, id: b.id, name: b.file_name })),
    ],
  }));
}

export async function countArrivals(services: Services, person: SignedIn): Promise<number> {
  return store.countArrivals(services.pool, person.id, await filesForOthers(services, person));
}

/** Something that arrived, for whoever may file it. Throws 404 otherwise. */
export async function arrivalFor(services: Services, person: SignedIn, id: string): Promise<store.ArrivalRow> {
  const arrival = await store.arrivalById(services.pool, id);
  if (!arrival || (arrival.deposited_by !== person.id && !(await filesForOthers(services, person)))) throw notFound('This arrival');
  return arrival;
}

/** Takes an arrival out of receiving to become a version; it must be the person's own, or the person a keeper. */
export async function takeArrival(uow: UnitOfWork, person: SignedIn, id: string, forOthers = false): Promise<store.ArrivalRow> {
  const arrival = await store.lockArrival(uow, id);
  if (!arrival || (arrival.deposited_by !== person.id && !forOthers)) throw notFound('This arrival');
  if (!(await store.removeArrival(uow, id))) throw notFound('This arrival');
  return arrival;
}

interface CheckedFiling extends CheckedFacts {
  readonly place: PlaceRow;
  readonly series: PlaceRow;
  /** From the repository down to the place. */
  readonly chain: readonly PlaceRow[];
  readonly type: TypeRow;
}

/** Throws when the place does not take what is filed. */
function requireTaken(checked: CheckedFiling, filed: { fileName: string | null; size: number }): void {
  const around = takesAround(checked.chain, checked.place.ancestors);
  const refusal = takesRefusal(around, { recordType: checked.type.code, ...filed });
  if (refusal) throw wrongField('/placeId', refusal);
}

/** Everything about a filing that can be wrong, checked before anything is written. */
async function checkFiling(
  services: Services,
  person: SignedIn,
  input: { placeId: string; recordType: string; createdOn: string; facts: Facts },
): Promise<CheckedFiling> {
  const { place, access } = await openPlace(services, person, input.placeId);
  if (!hasRight(access.on(place.access_set_id).all, 'deposit')) throw notAllowed('deposit');
  if (!takesRecords(place.kind)) {
    throw wrongField('/placeId', `Records are filed in a series or a folder; ${place.code} is a ${place.kind}.`);
  }
  const shut = await shutAround(services, place);
  if (shut) throw wrongField('/placeId', shut);
  if (input.createdOn > person.today) throw wrongField('/createdOn', 'The document’s date is still to come.');
  const type = await recordType(services.pool, input.recordType);
  if (!type) throw wrongField('/recordType', `There is no record type “${input.recordType}”.`);
  if (type.retired_on !== null) throw wrongField('/recordType', `Nothing more is filed as “${type.title}”; the type was retired.`);
  const ancestors = await placesByIds(services.pool, place.ancestors);
  const series = ancestors.find((p) => p.kind === 'series')!;
  const chain = place.ancestors.map((id) => ancestors.find((p) => p.id === id)!);
  const around = chain.toReversed().map((p) => p.facts);
  const facts = await checkFacts(services.pool, access, person, type, input.facts, { around });
  return { place, series, chain, type, ...facts };
}

async function addFiled(
  services: Services,
  uow: UnitOfWork,
  person: SignedIn,
  checked: CheckedFiling,
  input: { title: string; createdOn: string },
  what: Pick<NewRecord, 'medium' | 'containerId' | 'versionNo' | 'size' | 'mediaType' | 'depositedBy'>,
): Promise<{ id: string; number: string }> {
  const { place, series, type, facts, gaps, names, refers } = checked;
  const id = uuidv7();
  const number = await giveNumber(services, uow, { chain: checked.chain, type, facts: checked.worded, on: person.today });
  await addRecord(uow, {
    ...what,
    id,
    number,
    title: input.title,
    recordType: type.code,
    placeId: place.id,
    seriesId: series.id,
    places: place.ancestors,
    createdOn: input.createdOn,
    today: person.today,
    facts,
    gaps: gaps.length,
    words: recordWords(input.title, number, facts, names),
    typeVersion: type.version,
    refers,
    markingLevel: 0,
    accessSetId: place.access_set_id,
    ownerId: what.depositedBy,
  });
  await claimUnique(uow, type, id, facts);
  return { id, number };
}

async function settle(
  services: Services,
  uow: UnitOfWork,
  person: SignedIn,
  place: PlaceRow,
  { id, number }: { id: string; number: string },
): Promise<void> {
  if (place.declare_on === 'filing') {
    await declareRecords(uow, [id], person.today);
    uow.enter({
      act: 'declared',
      subject: { kind: 'record', id, name: number },
      after: { state: 'declared', on: person.today },
      note: 'by itself, on filing',
    });
  }
  await recompute(uow, [id], await services.rules.current(uow), person.today);
}

export async function file(services: Services, person: SignedIn, filing: Filing): Promise<{ id: string; number: string }> {
  const forOthers = await filesForOthers(services, person);
  const checked = await checkFiling(services, person, filing);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const arrival = await takeArrival(uow, person, filing.arrivalId, forOthers);
    requireTaken(checked, { fileName: arrival.file_name, size: arrival.size });
    const filed = await addFiled(services, uow, person, checked, filing, {
      medium: 'electronic',
      containerId: null,
      versionNo: 1,
      size: arrival.size,
      mediaType: arrival.media_type,
      depositedBy: arrival.deposited_by,
    });
    await addVersion(uow, {
      recordId: filed.id,
      no: 1,
      contentId: arrival.content_id,
      fileName: arrival.file_name,
      by: person.id,
      at: uow.at,
      note: '',
    });
    uow.enter({
      act: 'filed',
      subject: { kind: 'record', id: filed.id, name: `${filed.number} ${filing.title}` },
      after: {
        place: checked.place.code,
        recordType: checked.type.code,
        createdOn: filing.createdOn,
        facts: checked.facts,
        fileName: arrival.file_name,
        size: arrival.size,
        sha256: arrival.sha256.toString('hex'),
      },
    });
    await settle(services, uow, person, checked.place, filed);
    return filed;
  });
}

/** Files many, each in its own transaction: one that fails does not touch the others. */
export async function fileMany(services: Services, person: SignedIn, filings: readonly Filing[]): Promise<FilingResult[]> {
  const results: FilingResult[] = [];
  for (const filing of filings) {
    const base = { arrivalId: filing.arrivalId, name: filing.title };
    try {
      const filed = await file(services, person, filing);
      results.push({ ...base, outcome: 'done', why: `Filed as ${filed.number}.`, recordId: filed.id, number: filed.number });
    } catch (error) {
      const problem = problemOf(error);
      if (problem.status >= 500) services.log.error({ err: error }, 'filing failed');
      results.push({ ...base, outcome: 'refused', why: problem.message, recordId: null, number: null });
    }
  }
  return results;
}

export async function describePhysical(
  services: Services,
  person: SignedIn,
  input: Omit<Filing, 'arrivalId'> & { containerId: string },
): Promise<{ recordId: string; number: string }> {
  const checked = await checkFiling(services, person, input);
  requireTaken(checked, { fileName: null, size: 0 });
  const container = await containerById(services.pool, input.containerId);
  if (!container) throw wrongField('/containerId', 'There is no such container.');
  return withUnitOfWork(services.pool, person, async (uow) => {
    const filed = await addFiled(services, uow, person, checked, input, {
      medium: 'physical',
      containerId: container.id,
      versionNo: 0,
      size: 0,
      mediaType: null,
      depositedBy: person.id,
    });
    uow.enter({
      act: 'described a physical item',
      subject: { kind: 'record', id: filed.id, name: `${filed.number} ${input.title}` },
      after: { place: checked.place.code, recordType: checked.type.code, container: container.code, facts: checked.facts },
    });
    await settle(services, uow, person, checked.place, filed);
    return { recordId: filed.id, number: filed.number };
  });
}

export async function preview(
  services: Services,
  person: SignedIn,
  filings: readonly Filing[],
): Promise<{ arrivalId: string; explanation: Explanation; gaps: string[]; problems: string[] }[]> {
  const book = await services.rules.current(services.pool);
  const previews = [];
  for (const filing of filings) {
    const problems: string[] = [];
    let checked: CheckedFiling | null = null;
    try {
      checked = await checkFiling(services, person, filing);
      const arrival = await store.arrivalById(services.pool, filing.arrivalId);
      requireTaken(checked, { fileName: arrival?.file_name ?? null, size: arrival?.size ?? 0 });
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      problems.push(error.message);
    }
    const gaps = [...(checked?.gaps ?? [])];
    const [judged] = await judge(services.pool, [hypothetical(person, filing, checked)], book, person.today);
    previews.push({ arrivalId: filing.arrivalId, explanation: explainJudged(judged!, [], gaps), gaps, problems });
  }
  return previews;
}

/** A record as it would be if it were filed today. A place that cannot be filed in tells nothing of its rules. */
function hypothetical(person: SignedIn, filing: Filing, checked: CheckedFiling | null): ClockRow {
  return {
    id: filing.arrivalId,
    number: '',
    title: filing.title,
    medium: 'electronic',
    state: 'working',
    gaps: checked?.gaps.length ?? 0,
    owner_id: person.id,
    deposited_by: person.id,
    record_type: filing.recordType,
    place_id: filing.placeId,
    series_id: checked?.series.id ?? filing.placeId,
    places: checked?.place.ancestors ?? [],
    created_on: filing.createdOn,
    received_on: person.today,
    filed_on: person.today,
    modified_on: person.today,
    declared_on: null,
    superseded_on: null,
    last_used_on: null,
    facts: checked?.facts ?? {},
    override: null,
    jurisdictions: [],
    steps_taken: null,
    refers: [...(checked?.refers ?? [])],
    detected: [],
  };
}

export async function discard(services: Services, person: SignedIn, id: string): Promise<void> {
  const forOthers = await filesForOthers(services, person);
  await withUnitOfWork(
    services.pool,
    person,
    async (uow) => {
      const arrival = await takeArrival(uow, person, id, forOthers);
      await dropUnusedContent(uow, [arrival.content_id]);
      uow.enter({
        act: 'discarded an arrival',
        subject: { kind: 'arrival', id, name: arrival.file_name },
        before: { size: arrival.size, sha256: arrival.sha256.toString('hex') },
      });
    },
    'none',
  );
}
