import type { BroughtLine, Told } from '@key-cellar/contract';
import {
  bringChanges,
  fillCode,
  filledState,
  fillText,
  foldersOf,
  type BroughtPart,
  type FolderState,
  type StencilDefinition,
  type StencilFolder,
  kindWords,
} from '@key-cellar/core/plan';
import { message, type Message, type Value } from '@key-cellar/words';
import { checkFacts } from '../facts/index.js';
import { Problem, type Db, type PersonAccess, type SignedIn, type UnitOfWork } from '../kernel/index.js';
import { factsOfAllTypes } from './changes.js';
import { shutAround } from './places.js';
import { makeFolder, placeSubject, requireCode, setState } from './stencilMaking.js';
import * as stencils from './stencilStore.js';
import * as moveStore from './moveStore.js';
import * as placeStore from './placeStore.js';

const partsOf = (parts: readonly BroughtPart[]): Value => ({ list: parts.map((part) => message(`plan.part.${part}`)) });

/** What happens to one folder and those in it; gathered first, so that a trial and the act are the same. */
export interface Plan {
  readonly changes: Message[];
  readonly kept: Message[];
  /** Rules that come to folders or leave them: what is in these is dated anew. */
  readonly rules: Told<BroughtLine>['rules'];
  readonly acts: ((uow: UnitOfWork) => Promise<void>)[];
}

const newPlan = (): Plan => ({ changes: [], kept: [], rules: [], acts: [] });

function planFolder(
  plan: Plan,
  stencil: stencils.StencilRow,
  place: { id: string; code: string },
  states: { before: FolderState; after: FolderState; now: FolderState },
): void {
  const { state, changes, kept } = bringChanges(states.before, states.after, states.now);
  if (changes.length > 0) {
    plan.changes.push(message('plan.bring.changes', { code: place.code, parts: partsOf(changes) }));
    if (changes.includes('rules')) {
      const [now, then] = [states.now.rules, state.rules];
      for (const ruleId of then) if (!now.includes(ruleId)) plan.rules.push({ placeId: place.id, ruleId, set: true });
      for (const ruleId of now) if (!then.includes(ruleId)) plan.rules.push({ placeId: place.id, ruleId, set: false });
    }
    plan.acts.push(async (uow) => {
      await setState(uow, stencil, place.id, states.now, state, changes);
      const pick = (of: FolderState): object => Object.fromEntries(changes.map((c) => [c, of[c]]));
      uow.enter({
        act: 'brought a change of a stencil',
        subject: placeSubject({ ...place, title: state.title }),
        before: pick(states.now),
        after: { ...pick(state), stencil: stencil.title, version: stencil.version },
      });
    });
  }
  if (kept.length > 0) plan.kept.push(message('plan.bring.changedHere', { code: place.code, parts: partsOf(kept) }));
}

function planNew(plan: Plan, stencil: stencils.StencilRow, parentId: string, folder: StencilFolder, said: stencils.SaidWords): void {
  const code = fillCode(folder.code, said.words);
  plan.changes.push(message('plan.bring.newFolder', { code }));
  plan.acts.push(async (uow) => {
    requireCode(code);
    const parent = (await placeStore.placeById(uow, parentId))!;
    await makeFolder(uow, stencil, parent, folder, { code, title: fillText(folder.title, said.words), said, asked: {} });
  });
}

/** Plans what a new version changes in one use of a stencil. Never touches what people added. */
export async function planBring(db: Db, stencil: stencils.StencilRow, old: StencilDefinition, rootId: string): Promise<Plan> {
  const plan = newPlan();
  const all = await stencils.foldersUnder(db, rootId);
  const root = all[0]!;
  const said = root.stencil_words ?? { words: {}, facts: {} };
  const byKey = new Map(all.filter((f) => f.stencil_id === stencil.id).map((f) => [f.stencil_key!, f]));
  const oldByKey = new Map(foldersOf(old.root).map(({ folder }) => [folder.key, folder]));
  const newKeys = new Set(foldersOf(stencil.definition.root).map(({ folder }) => folder.key));
  const walk = async (folder: StencilFolder, parentId: string | null): Promise<void> => {
    const place = byKey.get(folder.key);
    const before = oldByKey.get(folder.key);
    if (!place) {
      if (before || parentId === null) {
        plan.kept.push(message('plan.bring.takenAway', { code: fillCode(folder.code, said.words) }));
        return;
      }
      const code = fillCode(folder.code, said.words);
      if (all.some((f) => f.code === code && f.ancestors.at(-2) === parentId)) plan.kept.push(message('plan.bring.thereAlready', { code }));
      else planNew(plan, stencil, parentId, folder, said);
      return;
    }
    const asked = folder === stencil.definition.root ? said.facts : {};
    const now = await stencils.stateOf(db, place.id);
    planFolder(plan, stencil, place, {
      before: filledState(before ?? folder, said.words, asked),
      after: filledState(folder, said.words, asked),
      now,
    });
    for (const child of folder.inside) await walk(child, place.id);
  };
  await walk(stencil.definition.root, null);
  for (const place of [...byKey.values()].reverse()) {
    if (newKeys.has(place.stencil_key!) || place.retired_on !== null) continue;
    if (await stencils.isEmpty(db, place.id)) {
      plan.changes.push(message('plan.bring.retired', { code: place.code }));
      plan.acts.push((uow) => moveStore.retire(uow, place.id, uow.actor.today));
    } else plan.kept.push(message('plan.bring.stays', { code: place.code }));
  }
  plan.acts.push(async (uow) => {
    for (const { id, stencil_key } of byKey.values()) {
      await stencils.markMade(uow, id, { stencilId: stencil.id, version: stencil.version, key: stencil_key!, said });
    }
  });
  return plan;
}

const union = <T>(a: readonly T[], b: readonly T[]): T[] => [
  ...a,
  ...b.filter((x) => !a.some((y) => JSON.stringify(y) === JSON.stringify(x))),
];

/** Plans what a stencil adds to a folder that is there: what it lacks is added, what it says stays. */
export async function planInto(
  db: Db,
  person: SignedIn,
  access: PersonAccess,
  stencil: stencils.StencilRow,
  place: placeStore.PlaceRow,
): Promise<Plan> {
  if (place.kind !== 'folder')
    throw new Problem(409, 'no-folder', message('plan.noFolder', { code: place.code, kind: kindWords(place.kind) }));
  const shut = await shutAround(db, place, person.today);
  if (shut) throw new Problem(409, 'folder-closed', shut);
  const [root, ...below] = await stencils.foldersUnder(db, place.id);
  if (root!.stencil_id !== null) throw new Problem(409, 'from-a-stencil', message('plan.fromAStencil', { code: place.code }));
  const plan = newPlan();
  const { definition } = stencil;
  const facts = Object.fromEntries(definition.asks.flatMap((code) => (place.facts[code] === undefined ? [] : [[code, place.facts[code]]])));
  const known = { facts: await factsOfAllTypes(db) };
  const { worded } = await checkFacts(db, access, person, known, facts, { before: place.facts });
  const said = { words: Object.fromEntries(Object.entries(worded).map(([code, value]) => [code, String(value)])), facts };
  const now = await stencils.stateOf(db, place.id);
  const says = filledState(definition.root, said.words);
  const after: FolderState = {
    title: now.title,
    note: now.note || says.note,
    message: now.message || says.message,
    types: now.types ?? says.types,
    marking: now.marking ?? says.marking,
    facts: { ...says.facts, ...now.facts },
    readyTitles: union(now.readyTitles, says.readyTitles),
    rules: union(now.rules, says.rules),
    grants: union(now.grants, says.grants),
  };
  planFolder(plan, stencil, place, { before: now, after, now });
  for (const child of definition.root.inside) {
    const code = fillCode(child.code, said.words);
    if (below.some((f) => f.code === code && f.ancestors.at(-2) === place.id)) plan.kept.push(message('plan.bring.thereAlready', { code }));
    else planNew(plan, stencil, place.id, child, said);
  }
  plan.acts.push((uow) =>
    stencils.markMade(uow, place.id, { stencilId: stencil.id, version: stencil.version, key: definition.root.key, said }),
  );
  return plan;
}
