import {
  bringChanges,
  fillCode,
  filledState,
  foldersWithParent,
  kindWords,
  moveRefusal,
  type BroughtPart,
  type FolderState,
  type Said,
  type StencilDefinition,
  type StencilFolder,
} from '@key-cellar/core/plan';
import type { Right } from '@key-cellar/core/access';
import { message, type Message } from '@key-cellar/words';
import { checkFacts } from '../facts/index.js';
import { mayDoTo, Problem } from '../kernel/index.js';
import { factsOfAllTypes, seriesOf, standingOf } from './changes.js';
import { placeKind } from './kinds.js';
import { shutAround } from './places.js';
import { counts, makeFolder, rolesOf, setState, type Bringing, type Using } from './stencilMaking.js';
import { partNames, partWords, type PartNames } from './stencilWords.js';
import * as codeStore from './codeStore.js';
import * as stencils from './stencilStore.js';
import * as moveStore from './moveStore.js';
import * as placeStore from './placeStore.js';

/** A version of a stencil with what a use of it says. */
interface Spoken {
  readonly definition: StencilDefinition;
  readonly said: Said;
}

/** Parts of a folder that the dates of what is in it follow from. */
const dating: ReadonlySet<BroughtPart> = new Set(['rules', 'jurisdictions', 'facts']);

/**
 * Brings a folder that was made from a stencil, with those inside, from one version and what the use said to another, and touches
 * nothing that people added or changed. What cannot be brought stays, and is told with its reason. Asks the rights on every folder of the use:
 * one inside may stand alone, and what is outermost says nothing of it.
 */
export async function bringTo(using: Using, rootId: string, from: Spoken, to: Spoken, rights: readonly Right[]): Promise<Bringing> {
  await codeStore.lockPlan(using.uow);
  const all = await stencils.foldersUnder(using.uow, rootId);
  const locked = await placeStore.lockPlaces(
    using.uow,
    all.map((f) => f.id),
  );
  await requireRights(
    using,
    locked.filter((p) => all.some((f) => f.id === p.id && f.stencil_id === using.stencil.id)),
    rights,
  );
  await codeStore.lockCodes(using.uow);
  const roles = [...Object.values(from.said.roles), ...Object.values(to.said.roles)];
  const names = await partNames(using.uow, using.access, [from.definition, to.definition], roles);
  return new Bringer(using, names, all, from, to).bring();
}

async function requireRights(
  { uow, person, access }: Using,
  places: readonly placeStore.PlaceRow[],
  rights: readonly Right[],
): Promise<void> {
  for (const place of places) {
    for (const right of rights) {
      if (!(await mayDoTo(uow, placeKind, place, right, person, access)))
        throw new Problem(403, 'not-allowed', message('plan.useBeyondYou'));
    }
  }
}

class Bringer {
  private readonly told: Bringing = { changes: [], kept: [], rules: [], dates: null };
  /** Folders that the use has, by the key of what they were made from. */
  private readonly byKey: Map<string, stencils.MadeFolderRow>;
  private readonly was: ReturnType<typeof foldersWithParent>;
  private readonly is: ReturnType<typeof foldersWithParent>;
  private readonly dated = new Set<string>();

  constructor(
    private readonly using: Using,
    private readonly names: PartNames,
    all: readonly stencils.MadeFolderRow[],
    private readonly from: Spoken,
    private readonly to: Spoken,
  ) {
    const { stencil } = using;
    // Outermost first, so that another use of the stencil inside this one is not taken for it.
    const made = all.filter((f) => f.stencil_id === stencil.id).toReversed();
    this.byKey = new Map(made.map((f) => [f.stencil_key!, f]));
    this.was = foldersWithParent(from.definition.root);
    this.is = foldersWithParent(to.definition.root);
  }

  async bring(): Promise<Bringing> {
    const { uow, services, access, stencil, trial } = this.using;
    const { root } = this.to.definition;
    if (!this.byKey.has(root.key)) this.keep(message('plan.bring.takenAway', { code: fillCode(root.code, this.to.said.words) }));
    else await this.walk(root);
    for (const place of [...this.byKey.values()].sort((a, b) => b.ancestors.length - a.ancestors.length)) await this.takeAway(place);
    for (const { id, stencil_key: key } of this.byKey.values())
      await stencils.markMade(uow, id, { stencilId: stencil.id, version: stencil.version, key: key!, said: this.to.said });
    const placeIds = [...this.dated];
    if (placeIds.length > 0 && trial) this.told.dates = await services.events.ask(uow, 'dateShift', { placeIds, access });
    else if (placeIds.length > 0) await services.events.tell(uow, 'placesChanged', { placeIds, because: stencil.title });
    return this.told;
  }

  private keep(why: Message): void {
    this.told.kept.push(why);
  }

  private change(code: string, what: Message, before: Message | null = null, after: Message | null = null): void {
    this.told.changes.push({ code, what, before, after });
  }

  /** What is refused for one folder stays as it is, and does not keep the others from being brought. */
  private refused(code: string, error: unknown): void {
    if (!(error instanceof Problem) || error.status >= 500) throw error;
    this.keep(message('plan.bring.refused', { code, why: error.said }));
  }

  private async walk(folder: StencilFolder): Promise<void> {
    const place = this.byKey.get(folder.key);
    if (place) {
      await this.move(folder, place);
      await this.state(folder, place);
    } else if (!(await this.make(folder))) return;
    for (const child of folder.inside) await this.walk(child);
  }

  /** Makes a folder that this version is the first to have; false where there is none then. */
  private async make(folder: StencilFolder): Promise<boolean> {
    const { uow } = this.using;
    const code = fillCode(folder.code, this.to.said.words);
    if (this.was.has(folder.key)) {
      this.keep(message('plan.bring.takenAway', { code }));
      return false;
    }
    const parent = (await placeStore.placeById(uow, this.byKey.get(this.is.get(folder.key)!.parent!)!.id))!;
    if (await codeStore.codeTaken(uow, code, 'folder', parent.id)) {
      this.keep(message('plan.bring.thereAlready', { code }));
      return false;
    }
    try {
      const title = filledState(folder, this.to.said).title;
      const made = await makeFolder(this.using, parent, folder, { code, title, said: this.to.said, asked: {} });
      this.byKey.set(folder.key, {
        ...made,
        stencil_id: this.using.stencil.id,
        stencil_key: folder.key,
      } as unknown as stencils.MadeFolderRow);
      this.change(code, message('plan.bring.newFolder'));
      return true;
    } catch (error) {
      this.refused(code, error);
      return false;
    }
  }

  /** Where this version has the folder elsewhere, it goes there, unless people have put it somewhere themselves. */
  private async move(folder: StencilFolder, place: stencils.MadeFolderRow): Promise<void> {
    const { uow, person } = this.using;
    const [before, after] = [this.was.get(folder.key)?.parent, this.is.get(folder.key)!.parent];
    if (before === undefined || before === null || after === null || before === after) return;
    const [oldPlace, newPlace] = [this.byKey.get(before), this.byKey.get(after)];
    if (!newPlace || place.parent_id === newPlace.id) return;
    if (place.parent_id !== oldPlace?.id) {
      this.keep(message('plan.bring.changedHere', { code: place.code, parts: message('plan.part.where') }));
      return;
    }
    try {
      const [row, parent] = [(await placeStore.placeById(uow, place.id))!, (await placeStore.placeById(uow, newPlace.id))!];
      const refusal = moveRefusal(standingOf(row), standingOf(parent), person.today);
      if (refusal) throw new Problem(409, 'cannot-move', refusal);
      // In the same series as before: declared records may go along.
      const series = seriesOf(parent, await placeStore.placesByIds(uow, parent.ancestors));
      if (await codeStore.codeTaken(uow, row.code, 'folder', parent.id, row.id))
        throw new Problem(409, 'code-taken', message('plan.existsAlready', { code: row.code }));
      await codeStore.keepFormerCode(uow, row, person.today);
      await moveStore.moveUnder(uow, row, parent, series);
      uow.enter({
        act: 'brought a change of a stencil',
        subject: { kind: 'place', id: row.id, name: `${row.code} ${row.title}` },
        before: { in: `${oldPlace.code} ${oldPlace.title}` },
        after: { in: `${parent.code} ${parent.title}`, stencil: this.using.stencil.title, version: this.using.stencil.version },
      });
      this.dated.add(row.id);
      this.change(row.code, message('plan.part.where'), where(oldPlace), where(parent));
    } catch (error) {
      this.refused(place.code, error);
    }
  }

  private async state(folder: StencilFolder, place: stencils.MadeFolderRow): Promise<void> {
    const { uow } = this.using;
    const isRoot = folder === this.to.definition.root;
    const spoken = (one: StencilFolder, { said }: Spoken, now: FolderState): FolderState => {
      const says = filledState(one, said, isRoot ? said.facts : {});
      // What counts its code says no code: it has what it was given.
      return counts(one) ? { ...says, code: now.code } : says;
    };
    const now = await stencils.stateOf(uow, place.id);
    const before = spoken(this.was.get(folder.key)?.folder ?? folder, this.from, now);
    await this.put(place, before, spoken(folder, this.to, now), now);
  }

  /** Makes a folder what it is to be as far as nobody has changed it, and tells what came of each part. */
  async put(
    place: { id: string; code: string; parent_id: string | null },
    before: FolderState,
    after: FolderState,
    now: FolderState,
  ): Promise<void> {
    const { uow, stencil } = this.using;
    const brought = bringChanges(before, after, now);
    let { state, changes } = brought;
    const kept = [...brought.kept];
    if (changes.includes('code') && (await codeStore.codeTaken(uow, state.code, 'folder', place.parent_id!, place.id))) {
      this.keep(message('plan.bring.thereAlready', { code: state.code }));
      [state, changes] = [{ ...state, code: now.code }, changes.filter((part) => part !== 'code')];
    }
    if (kept.length > 0)
      this.keep(message('plan.bring.changedHere', { code: now.code, parts: { list: kept.map((part) => message(`plan.part.${part}`)) } }));
    if (changes.length === 0) return;
    for (const part of changes)
      this.change(now.code, message(`plan.part.${part}`), partWords(this.names, part, now), partWords(this.names, part, state));
    for (const ruleId of state.rules) if (!now.rules.includes(ruleId)) this.told.rules.push({ placeId: place.id, ruleId, set: true });
    for (const ruleId of now.rules) if (!state.rules.includes(ruleId)) this.told.rules.push({ placeId: place.id, ruleId, set: false });
    await setState(this.using, place.id, now, state, changes);
    if (changes.some((part) => dating.has(part))) this.dated.add(place.id);
    const pick = (of: FolderState): object => Object.fromEntries(changes.map((part) => [part, of[part]]));
    uow.enter({
      act: 'brought a change of a stencil',
      subject: { kind: 'place', id: place.id, name: `${state.code} ${state.title}` },
      before: pick(now),
      after: { ...pick(state), stencil: stencil.title, version: stencil.version },
    });
  }

  /** What this version lacks is retired while nothing is in it. */
  private async takeAway(place: stencils.MadeFolderRow): Promise<void> {
    const { uow } = this.using;
    if (this.is.has(place.stencil_key!) || place.retired_on !== null) return;
    if (!(await stencils.isEmpty(uow, place.id))) {
      this.keep(message('plan.bring.stays', { code: place.code }));
      return;
    }
    await moveStore.retire(uow, place.id, uow.actor.today);
    uow.enter({ act: 'retired a place', subject: { kind: 'place', id: place.id, name: `${place.code} ${place.title}` } });
    this.change(place.code, message('plan.bring.retired'));
  }
}

const where = (place: { code: string; title: string }): Message => message('plan.value.text', { text: `${place.code} ${place.title}` });

const union = <T>(a: readonly T[], b: readonly T[]): T[] => [
  ...a,
  ...b.filter((x) => !a.some((y) => JSON.stringify(y) === JSON.stringify(x))),
];

/** Puts what a stencil says into a folder that is there: what it lacks is added, what it says stays. */
export async function putInto(using: Using, placeId: string, given: Readonly<Record<string, string>>): Promise<Bringing> {
  const { uow, access, person, stencil } = using;
  await codeStore.lockPlan(uow);
  const all = await stencils.foldersUnder(uow, placeId);
  await placeStore.lockPlaces(
    uow,
    all.map((f) => f.id),
  );
  const place = (await placeStore.placeById(uow, placeId))!;
  if (place.kind !== 'folder')
    throw new Problem(409, 'no-folder', message('plan.noFolder', { code: place.code, kind: kindWords(place.kind) }));
  const shut = await shutAround(uow, place, person.today);
  if (shut) throw new Problem(409, 'folder-closed', shut);
  if (all[0]!.stencil_id !== null) throw new Problem(409, 'from-a-stencil', message('plan.fromAStencil', { code: place.code }));
  const { definition } = stencil;
  const facts = Object.fromEntries(definition.asks.flatMap((code) => (place.facts[code] === undefined ? [] : [[code, place.facts[code]]])));
  const known = { facts: await factsOfAllTypes(uow) };
  const { worded } = await checkFacts(uow, access, person, known, facts, { before: place.facts });
  const words = Object.fromEntries(Object.entries(worded).map(([code, value]) => [code, String(value)]));
  const said: Said = { words, facts, roles: await rolesOf(uow, definition, given) };
  const now = await stencils.stateOf(uow, placeId);
  const says = filledState(definition.root, said);
  const after: FolderState = {
    code: now.code,
    title: now.title,
    note: now.note || says.note,
    message: now.message || says.message,
    standAlone: now.standAlone || says.standAlone,
    numbering: now.numbering ?? says.numbering,
    jurisdictions: now.jurisdictions.length > 0 ? now.jurisdictions : says.jurisdictions,
    types: now.types ?? says.types,
    formats: now.formats ?? says.formats,
    largest: now.largest ?? says.largest,
    marking: now.marking ?? says.marking,
    facts: { ...says.facts, ...now.facts },
    readyTitles: union(now.readyTitles, says.readyTitles),
    rules: union(now.rules, says.rules),
    grants: union(now.grants, says.grants),
  };
  // As if it had been made from the stencil as it is now: only what lies inside is new.
  await stencils.markMade(uow, placeId, { stencilId: stencil.id, version: stencil.version, key: definition.root.key, said });
  const names = await partNames(uow, access, [definition], Object.values(said.roles));
  const root = { ...definition.root, inside: [] };
  const bringer = new Bringer(
    using,
    names,
    await stencils.foldersUnder(uow, placeId),
    { definition: { ...definition, root }, said },
    { definition, said },
  );
  await bringer.put(place, now, after, now);
  return bringer.bring();
}
