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

/** A tag as grants on it name it. */
interface Tag {
  readonly id: string;
  readonly name: string;
}

/** What access is given on. */
export type GivenOn = { readonly placeId: string } | { readonly record: Named } | { readonly tag: Tag };

/** What somebody is given, on a place, on one record or on a tag; days are YYYY-MM-DD, both in force. */
type Given = {
  readonly principalId: string;
  readonly profile: string;
  readonly from?: string;
  readonly until?: string;
  readonly reason: string;
} & GivenOn;

/** The access set of a place that is about to be made, marked as the place around it: of its own, but for a folder, which shares that one’s. */
export async function setOfNewPlace(
  db: Db,
  place: { readonly id: string; readonly kind: string; readonly around: number },
): Promise<number> {
  if (place.kind === 'folder') return place.around;
  const around = (await store.setById(db, place.around))!;
  const { marking_level: level, marking_caveats: caveats } = around;
  return store.getOrMakeSet(db, { anchorPlace: place.id, recordId: null, level, caveats, tags: [] });
}

/**
 * Lets access of a place hang where it has to: on itself where it is of the plan, has grants or tags or stands alone; else, for other folders, where that
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
  const set = await store.getOrMakeSet(uow, { ...store.keyOf(record), recordId: record.own ? recordId : null });
  if (set !== record.access_set_id) await store.setRecordSet(uow, recordId, set);
}

const recordSubject = ({ id, number, title }: Named) => ({ kind: 'record', id, name: `${number} ${title}` });

/** What the ledger says a tag is. */
export const tagSubject = ({ id, name }: Tag) => ({ kind: 'access tag', id, name });

/** What a grant is on. */
function onWhat(g: store.GrantRow): GivenOn {
  if (g.tag_id !== null) return { tag: { id: g.tag_id, name: g.tag_name! } };
  if (g.record_id !== null) return { record: { id: g.record_id, number: g.record_number!, title: g.record_title! } };
  return { placeId: g.place_id };
}

/** What the ledger says a grant is on. */
export function grantSubject(g: store.GrantRow): { readonly kind: string; readonly id: string; readonly name: string } {
  const on = onWhat(g);
  if ('tag' in on) return tagSubject(on.tag);
  if ('record' in on) return recordSubject(on.record);
  return { kind: 'place', id: g.place_id, name: `${g.place_code} ${g.place_title}` };
}

/** Makes a grant. What lies below a place takes its access from there from now on. */
export async function placeGrant(uow: UnitOfWork, grant: Given): Promise<string> {
  const id = uuidv7();
  const line = { ...grant, id, placeId: null, recordId: null, tagId: null, madeBy: uow.actor.id };
  let subject;
  if ('tag' in grant) {
    await store.addGrant(uow, { ...line, tagId: grant.tag.id });
    subject = tagSubject(grant.tag);
  } else if ('record' in grant) {
    await store.addGrant(uow, { ...line, recordId: grant.record.id });
    await settleRecord(uow, grant.record.id);
    subject = recordSubject(grant.record);
  } else {
    const place = await store.anchorOfPlace(uow, grant.placeId);
    if (!place) throw notFound(message('thing.place'));
    await store.addGrant(uow, { ...line, placeId: place.id });
    await settleAnchor(uow, place.id);
    subject = { kind: 'place', id: place.id, name: `${place.code} ${place.title}` };
  }
  uow.enter({
    act: 'granted',
    subject,
    after: { principal: grant.principalId, profile: grant.profile, from: grant.from ?? null, until: grant.until ?? null },
    note: grant.reason,
  });
  return id;
}

/** Takes a grant back. What lies below takes its access from farther out where it was the last one there. */
export async function takeGrantBack(uow: UnitOfWork, grant: store.GrantRow, reason: string): Promise<void> {
  await store.dropGrant(uow, grant.id);
  const on = onWhat(grant);
  if ('record' in on) await settleRecord(uow, on.record.id);
  else if ('placeId' in on) await settleAnchor(uow, on.placeId);
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
      await placeGrant(uow, { principalId: to.id, profile: grant.profile, ...days, reason, ...onWhat(grant) });
      handed++;
    }
    await takeGrantBack(uow, grant, reason);
  }
  return handed;
}
