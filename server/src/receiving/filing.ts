import { message } from '@key-cellar/words';
import { kindWords, takesRecords } from '@key-cellar/core/plan';
import { takesRefusal, type Facts } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { checkFacts, claimUnique, recordType, recordWords, type CheckedFacts, type TypeRow, settleReferences } from '../facts/index.js';
import { wrongField, type Db, type Entered, type PersonAccess, type SignedIn, type UnitOfWork } from '../kernel/index.js';
import { placesByIds, shutAround, takesAround, type PlaceRow } from '../plan/index.js';
import { addRecord, declareRecords, giveNumber, takenAs, type NewRecord, type Services } from '../records/index.js';
import { recompute } from '../schedule/index.js';

export interface CheckedFiling extends CheckedFacts {
  readonly place: PlaceRow;
  readonly series: PlaceRow;
  /** From the repository down to the place. */
  readonly chain: readonly PlaceRow[];
  readonly type: TypeRow;
}

/** Throws when the place does not take what is filed; null: an item on a shelf. */
export function requireTaken(
  checked: CheckedFiling,
  file: { readonly file_name: string; readonly media_type: string; readonly size: number } | null,
): void {
  const around = takesAround(checked.chain, checked.place.ancestors);
  const refusal = takesRefusal(around, { recordType: checked.type.code, ...takenAs(file), size: file?.size ?? 0 });
  if (refusal) throw wrongField('/placeId', refusal);
}

/** Everything about a filing that can be wrong, checked before anything is written. */
export async function checkFiling(
  db: Db,
  person: SignedIn,
  access: PersonAccess,
  place: PlaceRow,
  input: { recordType: string; createdOn: string; facts: Facts },
): Promise<CheckedFiling> {
  if (!takesRecords(place.kind)) {
    throw wrongField('/placeId', message('receiving.recordsFiledSeriesFolder', { code: place.code, kind: kindWords(place.kind) }));
  }
  const shut = await shutAround(db, place, person.today);
  if (shut) throw wrongField('/placeId', shut);
  if (input.createdOn > person.today) throw wrongField('/createdOn', message('receiving.documentsDateStillCome'));
  const type = await recordType(db, input.recordType);
  if (!type) throw wrongField('/recordType', message('receiving.thereNoRecordType', { recordType: input.recordType }));
  if (type.retired_on !== null) throw wrongField('/recordType', message('receiving.nothingMoreFiledAs', { title: type.title }));
  const ancestors = await placesByIds(db, place.ancestors);
  const series = ancestors.find((p) => p.kind === 'series')!;
  const chain = place.ancestors.map((id) => ancestors.find((p) => p.id === id)!);
  const around = chain.toReversed().map((p) => p.facts);
  const facts = await checkFacts(db, access, person, type, input.facts, { around });
  return { place, series, chain, type, ...facts };
}

/** Adds the record that a filing makes, with its number. */
export async function addFiled(
  services: Services,
  uow: UnitOfWork,
  person: SignedIn,
  access: PersonAccess,
  checked: CheckedFiling,
  input: { title: string; createdOn: string },
  what: Pick<NewRecord, 'medium' | 'containerId' | 'versionNo' | 'size' | 'mediaType' | 'depositedBy'>,
): Promise<{ id: string; number: string }> {
  const { place, series, type, facts, gaps, names, refers, references } = checked;
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
    accessSetId: place.access_set_id,
    ownerId: what.depositedBy,
  });
  await claimUnique(uow, access, type, id, facts);
  await recompute(uow, await settleReferences(uow, id, references), await services.rules.current(uow), person.today);
  return { id, number };
}

/** What follows from filing: declared where the place says so, and dated. Gives what the ledger says of it. */
export async function settle(
  services: Services,
  uow: UnitOfWork,
  person: SignedIn,
  place: PlaceRow,
  { id, number }: { id: string; number: string },
): Promise<Entered[]> {
  const entries: Entered[] = [];
  if (place.declare_on === 'filing') {
    await declareRecords(uow, [id], person.today);
    entries.push({
      act: 'declared',
      subject: { kind: 'record', id, name: number },
      after: { state: 'declared', on: person.today },
      note: 'by itself, on filing',
    });
  }
  await recompute(uow, [id], await services.rules.current(uow), person.today);
  return entries;
}
