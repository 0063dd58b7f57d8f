import type { BroughtLine, StencilLine, StencilPage, StencilUse, UseLine } from '@key-cellar/contract';
import { hasRight, profiles, type Right } from '@key-cellar/core/access';
import {
  bringChanges,
  codePattern,
  fillCode,
  filledState,
  fillText,
  foldersOf,
  isCodePattern,
  nextCode,
  stencilProblems,
  type BroughtPart,
  type FolderState,
  type StencilDefinition,
  type StencilFolder,
} from '@key-cellar/core/plan';
import { canonicalJson } from '@key-cellar/core/ledger';
import {
  factProblems,
  filledFacts,
  isId,
  pointsElsewhere,
  valuesOf,
  type FactDefinition,
  type Facts,
  type FactValue,
} from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { getOrMakeSet, placeGrant, reanchor, requireAtRepository, requireRight, type PersonAccess } from '../access/index.js';
import { withUnitOfWork, type Db, type UnitOfWork } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { changedMeanwhile, notAllowed, notFound, Problem, wrongField } from '../problem.js';
import { checkFacts, recordTypes } from '../records/index.js';
import { addPlaceRule, recomputeWithin, removePlaceRule } from '../schedule/index.js';
import type { Services } from '../services.js';
import { readTable, type TableFormat } from '../tables/index.js';
import { factsOfAllTypes, freeCode } from './changes.js';
import { openPlace, shutAround } from './service.js';
import * as stencils from './stencilStore.js';
import * as store from './store.js';

const subject = (s: { id: string; title: string }) => ({ kind: 'stencil', id: s.id, name: s.title });
const placeSubject = (p: { id: string; code: string; title: string }) => ({ kind: 'place', id: p.id, name: `${p.code} ${p.title}` });

/** Stencils are the keepers' of the whole repository. */
async function requireKeeper(services: Services, person: SignedIn): Promise<void> {
  await requireAtRepository(services.pool, await services.access.of(person), 'dispose', 'Keepers make stencils.');
}

/** Whoever may make folders somewhere may look at the shelf. */
async function requireReader(services: Services, person: SignedIn): Promise<PersonAccess> {
  const access = await services.access.of(person);
  if (!hasRight(access.anywhere, 'edit') && !hasRight(access.anywhere, 'dispose')) throw notAllowed('edit');
  return access;
}

function toLine(s: stencils.StencilRow, made: readonly stencils.MadeRow[]): StencilLine {
  const own = made.filter((m) => m.stencil_id === s.id);
  return {
    id: s.id,
    subject: s.subject,
    title: s.title,
    note: s.note,
    version: s.version,
    folders: foldersOf(s.definition.root).length,
    uses: own.length,
    behind: own.filter((m) => m.stencil_version < s.version).length,
    retiredOn: s.retired_on,
  };
}

export async function listStencils(services: Services, person: SignedIn): Promise<StencilLine[]> {
  const access = await requireReader(services, person);
  const [found, made] = await Promise.all([stencils.stencils(services.pool), stencils.made(services.pool, null, access.sets('discover'))]);
  return found.map((s) => toLine(s, made));
}

export async function stencilPage(services: Services, person: SignedIn, id: string): Promise<StencilPage> {
  const access = await requireReader(services, person);
  const found = await stencils.stencilById(services.pool, id);
  if (!found) throw notFound('This stencil');
  const [versions, made] = await Promise.all([
    stencils.stencilVersions(services.pool, id),
    stencils.made(services.pool, id, access.sets('discover')),
  ]);
  return {
    ...toLine(found, made),
    revision: found.revision,
    definition: found.definition as StencilPage['definition'],
    versions: versions.map((v) => ({
      version: v.version,
      madeBy: v.made_by,
      madeAt: v.made_at.toISOString(),
      folders: foldersOf(v.definition.root).length,
    })),
    made: made.map((m) => ({
      placeId: m.id,
      code: m.code,
      title: m.title,
      inside: m.inside,
      version: m.stencil_version,
      records: m.records,
    })),
  };
}

/** Everything about a definition that can be wrong; throws with the folder's key as the field. */
async function requireSound(db: Db, definition: StencilDefinition): Promise<void> {
  const all = foldersOf(definition.root).map((f) => f.folder);
  const problems = [...stencilProblems(definition)];
  const known = new Map((await factsOfAllTypes(db)).map((f) => [f.code, f]));
  const types = new Set((await recordTypes(db)).map((t) => t.code));
  const [people, rules] = await Promise.all([
    stencils.principalsExist(db, all.flatMap((f) => f.grants.map((g) => g.principalId))), // prettier-ignore
    stencils.rulesExist(db, all.flatMap((f) => f.rules)), // prettier-ignore
  ]);
  for (const code of definition.asks) {
    if (!known.has(code))
      problems.push({ key: definition.root.key, sentence: `No record type has a fact “${code}”, so none can be asked.` });
  }
  for (const f of all) {
    const say = (sentence: string): void => void problems.push({ key: f.key, sentence: `${f.title}: ${sentence}` });
    if (f.grants.some((g) => !people.has(g.principalId))) say('a grant is for somebody who is not here.');
    if (f.grants.some((g) => !profiles.some((p) => p.code === g.profile))) say('a grant has a profile that does not exist.');
    if (f.rules.some((r) => !rules.has(r))) say('a rule does not exist.');
    if (f.types?.some((t) => !types.has(t))) say('a record type does not exist.');
    if (f.readyTitles.some((t) => t.recordType !== null && !types.has(t.recordType)))
      say('a ready title is for a record type that does not exist.');
    for (const problem of factProblems([...known.values()], filledFacts(f.facts))) {
      say(known.has(problem.fact) ? problem.sentence : `no record type has a fact “${problem.fact}”.`);
    }
  }
  if (problems.length > 0) {
    throw new Problem(
      422,
      'wrong-stencil',
      problems.map((p) => p.sentence).join(' '),
      problems.map((p) => ({ pointer: `/folders/${p.key}`, sentence: p.sentence })),
    );
  }
}

interface Head {
  readonly subject: string;
  readonly title: string;
  readonly note: string;
}

export async function makeStencil(services: Services, person: SignedIn, input: Head & { definition: StencilDefinition }): Promise<string> {
  await requireKeeper(services, person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    await requireSound(uow, input.definition);
    const id = uuidv7();
    if (await stencils.titleTaken(uow, input.title, id)) throw wrongField('/title', `There is a stencil “${input.title}” already.`);
    await stencils.addStencil(uow, { id, subject: input.subject, title: input.title, note: input.note });
    await stencils.addStencilVersion(uow, { id, version: 1, definition: input.definition, by: person.id, at: uow.at });
    uow.enter({ act: 'made a stencil', subject: subject({ id, title: input.title }), after: input });
    return id;
  });
}

export async function changeStencil(
  services: Services,
  person: SignedIn,
  id: string,
  input: Head & { revision: number; retired: boolean; definition: StencilDefinition },
): Promise<{ revision: number; version: number }> {
  await requireKeeper(services, person);
  return withUnitOfWork(services.pool, person, async (uow) => {
    const before = await stencils.lockStencil(uow, id);
    if (!before) throw notFound('This stencil');
    if (before.revision !== input.revision) throw changedMeanwhile();
    await requireSound(uow, input.definition);
    if (await stencils.titleTaken(uow, input.title, id)) throw wrongField('/title', `There is a stencil “${input.title}” already.`);
    const other = canonicalJson(input.definition) !== canonicalJson(before.definition);
    const version = other ? before.version + 1 : before.version;
    if (other) await stencils.addStencilVersion(uow, { id, version, definition: input.definition, by: person.id, at: uow.at });
    const retiredOn = input.retired ? (before.retired_on ?? person.today) : null;
    await stencils.writeStencil(uow, { id, subject: input.subject, title: input.title, note: input.note, retiredOn });
    uow.enter({
      act: other ? 'changed a stencil' : 'described a stencil',
      subject: subject({ id, title: input.title }),
      before: { subject: before.subject, title: before.title, note: before.note, version: before.version, retiredOn: before.retired_on },
      after: {
        subject: input.subject,
        title: input.title,
        note: input.note,
        version,
        retiredOn,
        ...(other ? { definition: input.definition } : {}),
      },
    });
    return { revision: before.revision + 1, version };
  });
}

/** What a stencil of an existing folder would say: the folder with all that lies in it, without its records. */
export async function fromFolder(
  services: Services,
  person: SignedIn,
  placeId: string,
): Promise<{ title: string; definition: StencilDefinition }> {
  await requireKeeper(services, person);
  const { place } = await openPlace(services, person, placeId);
  if (place.kind !== 'folder') throw wrongField('/placeId', `A stencil is made of a folder; ${place.code} is a ${place.kind}.`);
  const describe = async (folder: store.PlaceRow): Promise<StencilFolder> => {
    const children = (await store.childrenOf(services.pool, folder.id)).filter((c) => c.retired_on === null);
    const inside: StencilFolder[] = [];
    for (const child of children) inside.push(await describe(child));
    const { marking, ...state } = await stencils.stateOf(services.pool, folder.id);
    return { ...state, marking, key: uuidv7().slice(0, 36), code: folder.code, inside };
  };
  return { title: place.title, definition: { asks: [], root: await describe(place) } };
}

/** Rights that applying a stencil takes, beyond making folders: it sets what only some may set. */
function rightsFor(definition: StencilDefinition): Right[] {
  const all = foldersOf(definition.root).map((f) => f.folder);
  return [
    'edit',
    ...(all.some((f) => f.grants.length > 0) ? (['grant'] as const) : []),
    ...(all.some((f) => f.rules.length > 0 || f.types !== null || f.marking !== null) ? (['dispose'] as const) : []),
  ];
}

async function openStencil(services: Services, id: string): Promise<stencils.StencilRow> {
  const found = await stencils.stencilById(services.pool, id);
  if (!found) throw notFound('This stencil');
  if (found.retired_on !== null)
    throw new Problem(409, 'retired', `The stencil “${found.title}” was retired. A keeper can take it up again.`);
  return found;
}

/** Facts of uses with names turned into ids, where they are names of what facts can point at. */
async function withIds(db: Db, definitions: ReadonlyMap<string, FactDefinition>, uses: readonly StencilUse[]): Promise<StencilUse[]> {
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
interface Worked {
  readonly code: string;
  readonly title: string;
  readonly said: stencils.SaidWords;
}

async function work(
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  { asks, root }: StencilDefinition,
  definitions: ReadonlyMap<string, FactDefinition>,
  use: StencilUse,
): Promise<Worked> {
  const other = Object.keys(use.facts).find((code) => !asks.includes(code));
  if (other !== undefined) throw wrongField(`/facts/${other}`, `This stencil does not ask for “${other}”.`);
  const types = { facts: asks.flatMap((code) => definitions.get(code) ?? []) };
  const { facts, worded } = await checkFacts(services.pool, access, person, types, use.facts as Facts);
  const missing = asks.find((code) => facts[code] === undefined);
  if (missing !== undefined) throw wrongField(`/facts/${missing}`, `${definitions.get(missing)?.title ?? missing} is missing.`);
  const words: Record<string, string> = {};
  for (const { folder } of foldersOf(root)) {
    for (const [code, value] of Object.entries(folder.facts)) words[code] ??= valuesOf(value).join(', ');
  }
  for (const [code, value] of Object.entries(worded)) words[code] = String(value);
  const code = use.code.trim() || fillCode(root.code, words);
  const title = use.title.trim() || fillText(root.title, words);
  if (title === '') throw wrongField('/title', 'The folder would have no title.');
  return { code, title, said: { words, facts } };
}

function requireCode(code: string): void {
  if (!codePattern.test(code))
    throw wrongField('/code', `${code || 'Nothing'} is no code: capital letters, digits, hyphens, dots and slashes, 40 at most.`);
}

/** What a stencil makes, level by level, in a place. The caller has checked rights and facts. */
async function makeFolder(
  uow: UnitOfWork,
  stencil: stencils.StencilRow,
  parent: store.PlaceRow,
  folder: StencilFolder,
  { code, title, said, asked }: { code: string; title: string; said: stencils.SaidWords; asked: Facts },
): Promise<store.PlaceRow> {
  const id = uuidv7();
  const state = { ...filledState(folder, said.words, asked), title };
  await store.addPlace(uow, {
    id,
    kind: 'folder',
    parentId: parent.id,
    ancestors: [...parent.ancestors, id],
    code,
    title,
    note: state.note,
    position: (await store.childrenOf(uow, parent.id)).length,
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
  const made = (await store.placeById(uow, id))!;
  for (const child of folder.inside) {
    const childCode = fillCode(child.code, said.words);
    requireCode(childCode);
    await makeFolder(uow, stencil, made, child, { code: childCode, title: fillText(child.title, said.words), said, asked: {} });
  }
  return made;
}

/** Makes a folder what it is to be; only the parts named are looked at. */
async function setState(
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
    const parent = await store.parentMarking(uow, placeId);
    // A stencil may mark more strictly than what is around, never less.
    const level = Math.max(after.marking?.level ?? 0, parent.level);
    const caveats = [...new Set([...parent.caveats, ...(after.marking?.caveats ?? [])])].sort();
    const set = await getOrMakeSet(uow, { anchorPlace: anchor, recordId: null, level, caveats });
    await stencils.setMarking(uow, placeId, level, caveats, set);
  }
  if (parts.includes('rules')) {
    for (const rule of after.rules) if (!before.rules.includes(rule)) await addPlaceRule(uow, placeId, rule);
    for (const rule of before.rules) if (!after.rules.includes(rule)) await removePlaceRule(uow, placeId, rule);
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
    const place = (await store.placeById(uow, placeId))!;
    const around = (await stencils.anchorOf(uow, place.parent_id!))!.anchor_place;
    if (!place.stand_alone) await reanchor(uow, placeId, placeId, around);
  }
}

const whyOf = (error: unknown): string => {
  if (error instanceof Problem && error.status < 500) return error.message;
  throw error;
};

/** Makes folders from a stencil, one a use, each in a transaction of its own: one that fails does not touch the others. */
export async function applyStencil(
  services: Services,
  person: SignedIn,
  id: string,
  input: { placeId: string; uses: readonly StencilUse[]; dryRun: boolean },
): Promise<UseLine[]> {
  const stencil = await openStencil(services, id);
  const { place: parent, access } = await openPlace(services, person, input.placeId);
  for (const right of rightsFor(stencil.definition)) requireRight(access, person, parent, right, 'This place');
  if (parent.kind !== 'series' && parent.kind !== 'folder') {
    throw wrongField('/placeId', `Folders are in a series or a folder; ${parent.code} is a ${parent.kind}.`);
  }
  const shut = await shutAround(services, parent);
  if (shut) throw new Problem(409, 'folder-closed', shut);
  const { pool } = services;
  const definitions = new Map((await factsOfAllTypes(pool)).map((f) => [f.code, f]));
  const uses = await withIds(pool, definitions, input.uses);
  const taken = new Set((await store.codesGiven(pool, 'folder', parent.id)).map((c) => c.code));
  const inside = foldersOf(stencil.definition.root).slice(1);
  const lines: UseLine[] = [];
  for (const [i, use] of uses.entries()) {
    const line = {
      id: stencil.id,
      line: i + 1,
      name: use.title || `use ${i + 1}`,
      code: '',
      title: use.title,
      folders: [] as string[],
      placeId: null,
    };
    try {
      const worked = await work(services, person, access, stencil.definition, definitions, use);
      // What the pattern would give after those before it; counted again under its lock when the folder is made.
      const code = isCodePattern(worked.code) ? nextCode(worked.code, taken) : worked.code;
      requireCode(code);
      if (taken.has(code)) throw wrongField('/code', `${code} exists here already, or comes twice in this list.`);
      taken.add(code);
      const folders = inside.map(
        ({ folder }) => `${fillCode(folder.code, worked.said.words)} ${fillText(folder.title, worked.said.words)}`,
      );
      const named = { ...line, name: `${code} ${worked.title}`, code, title: worked.title, folders };
      if (input.dryRun) {
        lines.push({
          ...named,
          outcome: 'done',
          why: folders.length === 0 ? 'would be made' : `would be made, with ${folders.length} inside`,
        });
        continue;
      }
      const made = await withUnitOfWork(services.pool, person, async (uow) => {
        const now = (await store.lockPlace(uow, parent.id))!;
        const free = await freeCode(uow, worked.code, 'folder', parent.id);
        requireCode(free);
        return makeFolder(uow, stencil, now, stencil.definition.root, { ...worked, code: free, asked: worked.said.facts });
      });
      taken.add(made.code);
      lines.push({ ...named, code: made.code, name: `${made.code} ${made.title}`, outcome: 'done', why: 'Made.', placeId: made.id });
    } catch (error) {
      lines.push({ ...line, outcome: 'refused', why: whyOf(error) });
    }
  }
  return lines;
}

/** Reads uses from a table: `code`, `title`, and a column for each fact that is asked, by its code or its name. */
export async function readUses(
  services: Services,
  person: SignedIn,
  id: string,
  file: { bytes: Buffer; format: TableFormat },
): Promise<StencilUse[]> {
  await requireReader(services, person);
  const stencil = await openStencil(services, id);
  const definitions = new Map((await factsOfAllTypes(services.pool)).map((f) => [f.code, f]));
  const asked = stencil.definition.asks.flatMap((code) => definitions.get(code) ?? []);
  const table = await readTable(file.bytes, file.format, []);
  const columnOf = (d: FactDefinition): string | undefined =>
    table.columns.find((c) => c === d.code.toLowerCase() || c === d.title.toLowerCase());
  const unknown = table.columns.filter((c) => c !== 'code' && c !== 'title' && !asked.some((d) => columnOf(d) === c));
  if (unknown.length > 0) {
    throw new Problem(
      422,
      'wrong-columns',
      `${unknown.join(', ')}: no such column. It may have code, title${asked.map((d) => `, ${d.code}`).join('')}.`,
    );
  }
  return table.rows.map(({ values }) => ({
    code: values['code'] ?? '',
    title: values['title'] ?? '',
    facts: Object.fromEntries(
      asked.flatMap((d) => {
        const text = values[columnOf(d) ?? ''] ?? '';
        return text === '' ? [] : [[d.code, valueFrom(d, text)]];
      }),
    ) as StencilUse['facts'],
  }));
}

/** A cell of a table as a value of its kind; what cannot be read stays as it is, and is refused with a sentence. */
function valueFrom(d: FactDefinition, text: string): FactValue {
  const one = (part: string): string | number => {
    const n = Number(part.replace(',', '.'));
    return ['whole', 'decimal', 'money'].includes(d.kind) && part !== '' && Number.isFinite(n) ? n : part;
  };
  if (d.kind === 'yesNo') return /^(yes|true|1)$/i.test(text) ? true : /^(no|false|0)$/i.test(text) ? false : text;
  return d.many ? text.split(';').map((part) => one(part.trim())) : one(text);
}

const partWords: Record<BroughtPart, string> = {
  title: 'title',
  note: 'note',
  message: 'message',
  types: 'what it takes',
  marking: 'marking',
  facts: 'facts',
  readyTitles: 'ready titles',
  rules: 'rules',
  grants: 'access',
};

/** What happens to one folder and those in it; gathered first, so that a trial and the act are the same. */
interface Plan {
  readonly changes: string[];
  readonly kept: string[];
  /** Rules that come to folders or leave them: what is in these is dated anew. */
  readonly rules: BroughtLine['rules'];
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
    plan.changes.push(`${place.code}: ${changes.map((c) => partWords[c]).join(', ')}`);
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
  if (kept.length > 0) plan.kept.push(`${place.code}: ${kept.map((c) => partWords[c]).join(', ')}, changed here`);
}

function planNew(plan: Plan, stencil: stencils.StencilRow, parentId: string, folder: StencilFolder, said: stencils.SaidWords): void {
  const code = fillCode(folder.code, said.words);
  plan.changes.push(`${code}: new folder`);
  plan.acts.push(async (uow) => {
    requireCode(code);
    const parent = (await store.placeById(uow, parentId))!;
    await makeFolder(uow, stencil, parent, folder, { code, title: fillText(folder.title, said.words), said, asked: {} });
  });
}

/** Plans what a new version changes in one use of a stencil. Never touches what people added. */
async function planBring(db: Db, stencil: stencils.StencilRow, old: StencilDefinition, rootId: string): Promise<Plan> {
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
        plan.kept.push(`${fillCode(folder.code, said.words)}: was taken away here`);
        return;
      }
      const code = fillCode(folder.code, said.words);
      if (all.some((f) => f.code === code && f.ancestors.at(-2) === parentId))
        plan.kept.push(`${code}: a folder of that code is there already`);
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
      plan.changes.push(`${place.code}: retired, it is empty`);
      plan.acts.push((uow) => store.retire(uow, place.id, uow.actor.today));
    } else plan.kept.push(`${place.code}: stays, because something is in it`);
  }
  plan.acts.push(async (uow) => {
    for (const { id, stencil_key } of byKey.values()) {
      await stencils.markMade(uow, id, { stencilId: stencil.id, version: stencil.version, key: stencil_key!, said });
    }
  });
  return plan;
}

async function carryOut(services: Services, person: SignedIn, stencil: stencils.StencilRow, placeId: string, plan: Plan): Promise<void> {
  await withUnitOfWork(services.pool, person, async (uow) => {
    await store.lockPlace(uow, placeId);
    for (const act of plan.acts) await act(uow);
    if (plan.rules.length > 0) await recomputeWithin(services, uow, { placeIds: [placeId] }, stencil.title);
  });
}

async function eachPlace(
  services: Services,
  person: SignedIn,
  stencil: stencils.StencilRow,
  places: readonly store.PlaceRow[],
  dryRun: boolean,
  planOf: (place: store.PlaceRow) => Promise<Plan>,
): Promise<BroughtLine[]> {
  const access = await services.access.of(person);
  const lines: BroughtLine[] = [];
  for (const place of places) {
    const line = { placeId: place.id, name: `${place.code} ${place.title}`, changes: [] as string[], kept: [] as string[], rules: [] };
    try {
      for (const right of rightsFor(stencil.definition)) requireRight(access, person, place, right, 'This place');
      const plan = await planOf(place);
      const told = { ...line, changes: plan.changes, kept: plan.kept, rules: plan.rules };
      if (plan.changes.length === 0 && plan.kept.length === 0) lines.push({ ...told, outcome: 'skipped', why: 'It is so already.' });
      else lines.push({ ...told, outcome: 'done', why: dryRun ? 'would be brought' : 'Brought.' });
      if (!dryRun) await carryOut(services, person, stencil, place.id, plan);
    } catch (error) {
      lines.push({ ...line, outcome: 'refused', why: whyOf(error) });
    }
  }
  return lines;
}

/** Brings what changed since to folders made from earlier versions: to some, or to all that the person may see. */
export async function bringStencil(
  services: Services,
  person: SignedIn,
  id: string,
  input: { placeIds?: readonly string[] | undefined; dryRun: boolean },
): Promise<BroughtLine[]> {
  const access = await requireReader(services, person);
  const stencil = await openStencil(services, id);
  const made = await stencils.made(services.pool, id, access.sets('discover'));
  const behind = made.filter((m) => m.stencil_version < stencil.version && (!input.placeIds || input.placeIds.includes(m.id)));
  const versions = new Map((await stencils.stencilVersions(services.pool, id)).map((v) => [v.version, v.definition]));
  const versionOf = new Map(behind.map((m) => [m.id, m.stencil_version]));
  const found = new Map((await store.placesByIds(services.pool, behind.map((m) => m.id))).map((p) => [p.id, p])); // prettier-ignore
  const places = behind.map((m) => found.get(m.id)!);
  return eachPlace(services, person, stencil, places, input.dryRun, (place) =>
    planBring(services.pool, stencil, versions.get(versionOf.get(place.id)!)!, place.id),
  );
}

/** Puts what a stencil says into folders that are there: what they lack is added, what they say stays. */
export async function applyToFolders(
  services: Services,
  person: SignedIn,
  id: string,
  input: { placeIds: readonly string[]; dryRun: boolean },
): Promise<BroughtLine[]> {
  const access = await requireReader(services, person);
  const stencil = await openStencil(services, id);
  const found = await store.placesByIds(services.pool, [...new Set(input.placeIds)]);
  const places = found.filter((p) => hasRight(access.on(p.access_set_id).all, 'discover'));
  if (places.length === 0) throw notFound('This place');
  return eachPlace(services, person, stencil, places, input.dryRun, async (place) => {
    if (place.kind !== 'folder') throw new Problem(409, 'no-folder', `${place.code} is a ${place.kind}; a stencil goes into folders.`);
    const shut = await shutAround(services, place);
    if (shut) throw new Problem(409, 'folder-closed', shut);
    const [root, ...below] = await stencils.foldersUnder(services.pool, place.id);
    if (root!.stencil_id !== null) throw new Problem(409, 'from-a-stencil', `${place.code} was made from a stencil already.`);
    const plan = newPlan();
    const { definition } = stencil;
    const facts = Object.fromEntries(
      definition.asks.flatMap((code) => (place.facts[code] === undefined ? [] : [[code, place.facts[code]]])),
    );
    const known = { facts: [...(await factsOfAllTypes(services.pool))] };
    const { worded } = await checkFacts(services.pool, access, person, known, facts, { before: place.facts });
    const said = { words: Object.fromEntries(Object.entries(worded).map(([code, value]) => [code, String(value)])), facts };
    const now = await stencils.stateOf(services.pool, place.id);
    const says = filledState(definition.root, said.words);
    const union = <T>(a: readonly T[], b: readonly T[]): T[] => [
      ...a,
      ...b.filter((x) => !a.some((y) => JSON.stringify(y) === JSON.stringify(x))),
    ];
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
      if (below.some((f) => f.code === code && f.ancestors.at(-2) === place.id))
        plan.kept.push(`${code}: a folder of that code is there already`);
      else planNew(plan, stencil, place.id, child, said);
    }
    plan.acts.push((uow) =>
      stencils.markMade(uow, place.id, { stencilId: stencil.id, version: stencil.version, key: definition.root.key, said }),
    );
    return plan;
  });
}
