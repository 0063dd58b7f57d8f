import type { StencilUse } from '@key-cellar/contract';
import {
  codePattern,
  fillCode,
  filledState,
  fillText,
  foldersOf,
  type BroughtPart,
  type FolderState,
  type StencilDefinition,
  type StencilFolder,
} from '@key-cellar/core/plan';
import { isId, pointsElsewhere, valuesOf, type FactDefinition, type Facts, type FactValue } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { message, type Message } from '@key-cellar/words';
import { getOrMakeSet, placeGrant, reanchor } from '../access/index.js';
import { checkFacts } from '../facts/index.js';
import { Problem, wrongField, type Db, type PersonAccess, type Services, type SignedIn, type UnitOfWork } from '../kernel/index.js';
import * as stencils from './stencilStore.js';
import * as placeStore from './placeStore.js';

export const placeSubject = (p: { id: string; code: string; title: string }) => ({ kind: 'place', id: p.id, name: `${p.code} ${p.title}` });

/** Facts of uses with names turned into ids, where they are names of what facts can point at. */
export async function withIds(
  db: Db,
  definitions: ReadonlyMap<string, FactDefinition>,
  uses: readonly StencilUse[],
): Promise<StencilUse[]> {
  const pointing = (code: string): FactDefinition | undefined => {
    const d = definitions.get(code);
    return d && pointsElsewhere(d.kind) ? d : undefined;
  };
  const names = uses.flatMap((u) => Object.entries(u.facts).flatMap(([code, v]) => (pointing(code) ? valuesOf(v).map(String) : [])));
  const found = await stencils.idsByName(db, [...new Set(names.filter((n) => !isId(n)))]);
  const ids = new Map(found.map((f) => [`${f.kind} ${f.name}`, f.id]));
  const named = (d: FactDefinition, value: FactValue): FactValue => {
    const [first, ...rest] = valuesOf(value).map((v) => ids.get(`${d.kind} ${String(v).toLowerCase()}`) ?? String(v));
    return d.many ? [first!, ...rest] : first!;
  };
  return uses.map((u) => ({
    ...u,
    facts: Object.fromEntries(
      Object.entries(u.facts).map(([code, value]) => {
        const d = pointing(code);
        return [code, d ? named(d, value) : value];
      }),
    ) as StencilUse['facts'],
  }));
}

/** One use, worked out: what the outermost folder is called, and what its texts are filled with. */
export interface Worked {
  readonly code: string;
  readonly title: string;
  readonly said: stencils.SaidWords;
}

export async function work(
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  { asks, root }: StencilDefinition,
  definitions: ReadonlyMap<string, FactDefinition>,
  use: StencilUse,
): Promise<Worked> {
  const other = Object.keys(use.facts).find((code) => !asks.includes(code));
  if (other !== undefined) throw wrongField(`/facts/${other}`, message('plan.stencilDoesNotAsk', { other }));
  const types = { facts: asks.flatMap((code) => definitions.get(code) ?? []) };
  const { facts, worded } = await checkFacts(services.pool, access, person, types, use.facts as Facts);
  const missing = asks.find((code) => facts[code] === undefined);
  if (missing !== undefined)
    throw wrongField(`/facts/${missing}`, message('plan.missing', { fact: definitions.get(missing)?.title ?? missing }));
  const words: Record<string, string> = {};
  for (const { folder } of foldersOf(root)) {
    for (const [code, value] of Object.entries(folder.facts)) words[code] ??= valuesOf(value).join(', ');
  }
  for (const [code, value] of Object.entries(worded)) words[code] = String(value);
  const code = use.code.trim() || fillCode(root.code, words);
  const title = use.title.trim() || fillText(root.title, words);
  if (title === '') throw wrongField('/title', message('plan.folderWouldHaveNo'));
  return { code, title, said: { words, facts } };
}

export function requireCode(code: string): void {
  if (!codePattern.test(code))
    throw wrongField('/code', code === '' ? message('plan.codeMissing') : message('plan.noCodeCapitalLetters', { code }));
}

/** What a stencil makes, level by level, in a place. The caller has checked rights and facts. */
export async function makeFolder(
  uow: UnitOfWork,
  stencil: stencils.StencilRow,
  parent: placeStore.PlaceRow,
  folder: StencilFolder,
  { code, title, said, asked }: { code: string; title: string; said: stencils.SaidWords; asked: Facts },
): Promise<placeStore.PlaceRow> {
  const id = uuidv7();
  const state = { ...filledState(folder, said.words, asked), title };
  await placeStore.addPlace(uow, {
    id,
    kind: 'folder',
    parentId: parent.id,
    ancestors: [...parent.ancestors, id],
    code,
    title,
    note: state.note,
    position: (await placeStore.childrenOf(uow, parent.id)).length,
    accessSetId: parent.access_set_id,
    openedOn: uow.actor.today,
  });
  uow.enter({
    act: 'made a folder',
    subject: placeSubject({ id, code, title }),
    after: { parent: parent.code, stencil: stencil.title, version: stencil.version },
  });
  await stencils.markMade(uow, id, { stencilId: stencil.id, version: stencil.version, key: folder.key, said });
  const bare: FolderState = { ...state, grants: [], rules: [], marking: null };
  await setState(uow, stencil, id, bare, state, ['facts', 'grants', 'rules', 'marking']);
  const made = (await placeStore.placeById(uow, id))!;
  for (const child of folder.inside) {
    const childCode = fillCode(child.code, said.words);
    requireCode(childCode);
    await makeFolder(uow, stencil, made, child, { code: childCode, title: fillText(child.title, said.words), said, asked: {} });
  }
  return made;
}

/** Makes a folder what it is to be; only the parts named are looked at. */
export async function setState(
  uow: UnitOfWork,
  stencil: stencils.StencilRow,
  placeId: string,
  before: FolderState,
  after: FolderState,
  parts: readonly BroughtPart[],
): Promise<void> {
  if (parts.some((p) => p !== 'grants' && p !== 'rules' && p !== 'marking')) await stencils.writeState(uow, placeId, after);
  if (parts.includes('marking')) {
    const anchor = (await stencils.anchorOf(uow, placeId))!.anchor_place;
    const parent = await placeStore.parentMarking(uow, placeId);
    // A stencil may mark more strictly than what is around, never less.
    const level = Math.max(after.marking?.level ?? 0, parent.level);
    const caveats = [...new Set([...parent.caveats, ...(after.marking?.caveats ?? [])])].sort();
    const set = await getOrMakeSet(uow, { anchorPlace: anchor, recordId: null, level, caveats });
    await stencils.setMarking(uow, placeId, level, caveats, set);
  }
  if (parts.includes('rules')) {
    for (const rule of after.rules) if (!before.rules.includes(rule)) await placeStore.addRule(uow, placeId, rule);
    for (const rule of before.rules) if (!after.rules.includes(rule)) await placeStore.removeRule(uow, placeId, rule);
  }
  if (!parts.includes('grants')) return;
  const key = (g: FolderState['grants'][number]): string => `${g.principalId} ${g.profile}`;
  const [had, wanted] = [new Set(before.grants.map(key)), new Set(after.grants.map(key))];
  for (const g of after.grants.filter((one) => !had.has(key(one)))) {
    const id = await placeGrant(uow, { ...g, placeId, reason: `stencil “${stencil.title}”` });
    await stencils.markGrant(uow, id, stencil.id);
  }
  const gone = before.grants.filter((one) => !wanted.has(key(one)));
  for (const g of gone) await stencils.dropGrant(uow, placeId, stencil.id, g);
  if (gone.length > 0 && (await stencils.grantsLeft(uow, placeId)) === 0) {
    // Without grants of its own it takes its access from around it again.
    const place = (await placeStore.placeById(uow, placeId))!;
    const around = (await stencils.anchorOf(uow, place.parent_id!))!.anchor_place;
    if (!place.stand_alone) await reanchor(uow, placeId, placeId, around);
  }
}

/** Why one of many was refused; what went wrong here is thrown on. */
export const whyOf = (error: unknown): Message => {
  if (error instanceof Problem && error.status < 500) return error.said;
  throw error;
};
