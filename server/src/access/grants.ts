import { message } from '@key-cellar/words';
import { uuidv7 } from 'uuidv7';
import { notFound, type Db, type UnitOfWork } from '../kernel/index.js';
import * as store from './store.js';

/** A record as grants on it name it. */
interface Named {
  readonly id: string;
  readonly number: string;
  readonly title: string;
}

/** What somebody is given, on a place or on one record; days are YYYY-MM-DD, both in force. */
type Given = {
  readonly principalId: string;
  readonly profile: string;
  readonly from?: string;
  readonly until?: string;
  readonly reason: string;
} & ({ readonly placeId: string } | { readonly record: Named });

/** The access set of a place that is about to be made, marked as the place around it: of its own, but for a folder, which shares that one’s. */
export async function setOfNewPlace(
  db: Db,
  place: { readonly id: string; readonly kind: string; readonly around: number },
): Promise<number> {
  if (place.kind === 'folder') return place.around;
  const around = (await store.setById(db, place.around))!;
  const { marking_level: level, marking_caveats: caveats } = around;
  return store.getOrMakeSet(db, { anchorPlace: place.id, recordId: null, level, caveats });
}

/**
 * Lets access of a place hang where it has to: on itself where it is of the plan, has grants or stands alone; else, for other folders, where that
 * of the place around it does. What lies below goes along. Places of the plan that share what is around them come to hang on themselves at their first grant.
 */
export async function settleAnchor(uow: UnitOfWork, placeId: string): Promise<void> {
  const place = await store.hanging(uow, placeId);
  if (!place) throw notFound(message('thing.place'));
  const wanted = place.own || place.parent_anchor === null ? placeId : place.parent_anchor;
  if (place.anchor_place !== wanted) await store.reanchor(uow, placeId, place.anchor_place, wanted);
}

/** Lets a record have an access set of its own while it has grants of its own; else it shares that of what is around it. */
async function settleRecord(uow: UnitOfWork, recordId: string): Promise<void> {
  const record = await store.recordHanging(uow, recordId);
  if (!record) throw notFound(message('thing.record'));
  const { anchor_place: anchorPlace, own, marking_level: level, marking_caveats: caveats } = record;
  const set = await store.getOrMakeSet(uow, { anchorPlace, recordId: own ? recordId : null, level, caveats });
  if (set !== record.access_set_id) await store.setRecordSet(uow, recordId, set);
}

const recordSubject = ({ id, number, title }: Named) => ({ kind: 'record', id, name: `${number} ${title}` });

const recordOf = (g: store.GrantRow): Named | null =>
  g.record_id === null ? null : { id: g.record_id, number: g.record_number!, title: g.record_title! };

/** What the ledger says a grant is on. */
export const grantSubject = (g: store.GrantRow): { readonly kind: string; readonly id: string; readonly name: string } => {
  const record = recordOf(g);
  return record ? recordSubject(record) : { kind: 'place', id: g.place_id, name: `${g.place_code} ${g.place_title}` };
};

/** Makes a grant. What lies below a place takes its access from there from now on. */
export async function placeGrant(uow: UnitOfWork, grant: Given): Promise<string> {
  const record = 'record' in grant ? grant.record : null;
  const place = 'placeId' in grant ? await store.anchorOfPlace(uow, grant.placeId) : undefined;
  if (!record && !place) throw notFound(message('thing.place'));
  const id = uuidv7();
  const [placeId, recordId] = [place?.id ?? null, record?.id ?? null];
  await store.addGrant(uow, { ...grant, id, placeId, recordId, madeBy: uow.actor.id });
  await (record ? settleRecord(uow, record.id) : settleAnchor(uow, place!.id));
  uow.enter({
    act: 'granted',
    subject: record ? recordSubject(record) : { kind: 'place', id: placeId, name: `${place!.code} ${place!.title}` },
    after: { principal: grant.principalId, profile: grant.profile, from: grant.from ?? null, until: grant.until ?? null },
    note: grant.reason,
  });
  return id;
}

/** Takes a grant back. What lies below takes its access from farther out where it was the last one there. */
export async function takeGrantBack(uow: UnitOfWork, grant: store.GrantRow, reason: string): Promise<void> {
  await store.dropGrant(uow, grant.id);
  await (grant.record_id === null ? settleAnchor(uow, grant.place_id) : settleRecord(uow, grant.record_id));
  uow.enter({
    act: 'took a grant back',
    subject: grantSubject(grant),
    before: { principal: grant.principal_id, profile: grant.profile, from: grant.from_on, until: grant.until_on },
    note: reason,
  });
}

/**
 * What somebody leaves behind when they go: their own grants end, and go to an heir when asked. Grants that stencils placed for a role are
 * named there; gives how many went over.
 */
export async function handOverGrants(
  uow: UnitOfWork,
  {
    from,
    to,
    grantsToo,
  }: {
    readonly from: { readonly id: string; readonly name: string };
    readonly to: { readonly id: string } | null;
    readonly grantsToo: boolean;
  },
): Promise<number> {
  const grants = await store.grantsOf(uow, from.id);
  const reason = `${from.name} left`;
  let handed = 0;
  for (const grant of grants) {
    if (to && grantsToo) {
      const days = {
        ...(grant.from_on === null ? {} : { from: grant.from_on }),
        ...(grant.until_on === null ? {} : { until: grant.until_on }),
      };
      const record = recordOf(grant);
      const on = record ? { record } : { placeId: grant.place_id };
      await placeGrant(uow, { principalId: to.id, profile: grant.profile, ...days, reason, ...on });
      handed++;
    }
    await takeGrantBack(uow, grant, reason);
  }
  return handed;
}
