import type { Told, TagRef } from '@key-cellar/contract';
import { profileIn, profileWords } from '@key-cellar/core/access';
import { message, type Message } from '@key-cellar/words';
import { mayAtRepository, notFound, Problem, wrongField, type Db, type PersonAccess, type UnitOfWork } from '../kernel/index.js';
import { settleAnchor } from './grants.js';
import { loadProfiles } from './profileStore.js';
import { changeSetsOf } from './swaps.js';
import * as store from './tagStore.js';

/** A change of the tags that something carries. */
export interface TagChange {
  readonly put: readonly store.AccessTagRow[];
  readonly take: readonly store.AccessTagRow[];
}

/**
 * The tags that are put on and taken off, kept as they are until the transaction ends. Throws 404 for one that there is not, and 422 for one
 * that is put on and not in use, at `field` of what was sent.
 */
export async function changeOfTags(uow: UnitOfWork, put: readonly string[], take: readonly string[], field = '/put'): Promise<TagChange> {
  const found = new Map((await store.shareTags(uow, [...new Set([...put, ...take])])).map((t) => [t.id, t]));
  const all = (ids: readonly string[]): store.AccessTagRow[] =>
    [...new Set(ids)].map((id) => {
      const tag = found.get(id);
      if (!tag) throw notFound(message('thing.accessTag'));
      return tag;
    });
  const change = { put: all(put), take: all(take) };
  const unused = change.put.find((t) => !t.active);
  if (unused) throw wrongField(field, message('access.tagNotInUse', { name: unused.name }));
  return change;
}

/**
 * Why somebody may not put these tags on, or take them off, where an access set decides: nobody gives, or takes, more than they have there
 * themselves. Null: they may.
 */
export async function beyondTags(
  uow: UnitOfWork,
  access: PersonAccess,
  { put, take }: TagChange,
): Promise<(setId: number) => Message | null> {
  const tags = new Map([...put, ...take].map((t) => [t.id, t]));
  const [given, profiles, any] = [
    await store.profilesBy(uow, [...tags.keys()], uow.actor.today),
    await loadProfiles(uow),
    await mayAtRepository(uow, access, 'setUp'),
  ];
  return (setId) => {
    const { all } = access.on(setId);
    const more = any ? undefined : given.find((g) => (profileIn(profiles, g.profile).rights & ~all) !== 0);
    if (!more) return null;
    return message('access.tagMoreThanYou', {
      tag: tags.get(more.tag_id)!.name,
      profile: profileWords(profileIn(profiles, more.profile)),
    });
  };
}

const names = (tags: readonly store.AccessTagRow[]): string[] => tags.map((t) => t.name).sort();

/**
 * Lets a place carry these tags, and no others. Gives what changed, by name; null where nothing did. Throws 403 where that would give, or take,
 * more than whoever does it has there.
 */
export async function tagPlace(
  uow: UnitOfWork,
  access: PersonAccess,
  place: { readonly id: string; readonly access_set_id: number },
  tagIds: readonly string[],
): Promise<{ readonly was: string[]; readonly is: string[] } | null> {
  const had = await store.tagsOfPlace(uow, place.id);
  const wanted = new Set(tagIds);
  const stay = had.filter((t) => wanted.has(t.id));
  const change = await changeOfTags(
    uow,
    [...wanted].filter((id) => !had.some((t) => t.id === id)),
    had.filter((t) => !wanted.has(t.id)).map((t) => t.id),
    '/tagIds',
  );
  if (change.put.length === 0 && change.take.length === 0) return null;
  const against = (await beyondTags(uow, access, change))(place.access_set_id);
  if (against) throw new Problem(403, 'not-allowed', against);
  await store.writeTagsOfPlace(uow, place.id, [...wanted].sort());
  await settleAnchor(uow, place.id);
  return { was: names(had), is: names([...stay, ...change.put]) };
}

/** Puts tags on records and takes others off, whatever they carry besides; gives which access set each became. */
export function tagRecords(uow: UnitOfWork, recordIds: readonly string[], change: TagChange): Promise<ReadonlyMap<number, number>> {
  return changeSetsOf(uow, recordIds, (key) => ({ ...key, tags: tagged(key.tags, change) }));
}

/** What is carried after a change. */
export const tagged = (tags: readonly string[], { put, take }: TagChange): string[] =>
  [...new Set([...tags.filter((id) => !take.some((t) => t.id === id)), ...put.map((t) => t.id)])].sort();

/** Tags as what carries them names them. */
const refs = (tags: readonly store.AccessTagRow[]): Told<TagRef>[] => tags.map(({ id, name, active }) => ({ id, name, active }));

export const tagsOnPlace = async (db: Db, placeId: string): Promise<Told<TagRef>[]> => refs(await store.tagsOfPlace(db, placeId));

export const tagsOnRecord = async (db: Db, recordId: string): Promise<Told<TagRef>[]> =>
  refs(await store.tagsById(db, (await store.tagsOfRecords(db, [recordId])).get(recordId) ?? []));
