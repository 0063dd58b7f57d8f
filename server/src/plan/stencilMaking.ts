import type { StencilUse, Told, BroughtLine } from '@key-cellar/contract';
import { joined } from '@key-cellar/core/access';
import {
  codePattern,
  fillCode,
  filledState,
  fillText,
  foldersOf,
  isCodePattern,
  type BroughtPart,
  type FolderState,
  type PlacedGrant,
  type Said,
  type StencilDefinition,
  type StencilFolder,
} from '@key-cellar/core/plan';
import { isId, pointsElsewhere, valuesOf, type FactDefinition, type Facts, type FactValue } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { message } from '@key-cellar/words';
import { markingOfPlace, markPlace, placeGrant, settleAnchor } from '../access/index.js';
import { checkFacts } from '../facts/index.js';
import { Problem, wrongField, type Db, type PersonAccess, type Services, type SignedIn, type UnitOfWork } from '../kernel/index.js';
import * as codeStore from './codeStore.js';
import { shutAround } from './places.js';
import * as stencils from './stencilStore.js';
import * as placeStore from './placeStore.js';

const placeSubject = (p: { id: string; code: string; title: string }) => ({ kind: 'place', id: p.id, name: `${p.code} ${p.title}` });

/** What a use works with: the transaction, who acts, and the stencil in the version that counts. */
export interface Using {
  readonly uow: UnitOfWork;
  readonly services: Services;
  readonly person: SignedIn;
  readonly access: PersonAccess;
  readonly stencil: stencils.StencilRow;
  readonly trial: boolean;
}

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

/** Ids of the persons or groups that have the roles, given by id, login or name; throws for one that is not here, and for a role without one. */
export async function rolesOf(
  db: Db,
  { roles }: StencilDefinition,
  given: Readonly<Record<string, string>>,
): Promise<Record<string, string>> {
  const other = Object.keys(given).find((code) => !roles.some((role) => role.code === code));
  if (other !== undefined) throw wrongField(`/roles/${other}`, message('plan.noSuchRole', { role: other }));
  const names = Object.values(given).map((name) => name.trim());
  const found = names.length === 0 ? [] : await stencils.principalsNamed(db, names);
  const filled: Record<string, string> = {};
  for (const { code, title } of roles) {
    const name = given[code]?.trim().toLowerCase() ?? '';
    if (name === '') throw wrongField(`/roles/${code}`, message('plan.roleMissing', { role: title }));
    const exact = found.filter((p) => p.id === name || p.login?.toLowerCase() === name);
    const fits = exact.length > 0 ? exact : found.filter((p) => p.name.toLowerCase() === name);
    if (fits.length !== 1)
      throw wrongField(
        `/roles/${code}`,
        message(fits.length === 0 ? 'plan.roleNobody' : 'plan.roleSeveral', { role: title, name: given[code]! }),
      );
    filled[code] = fits[0]!.id;
  }
  return filled;
}

/** One use, worked out: what the outermost folder is called, and what its texts are filled with. */
interface Worked {
  readonly code: string;
  readonly title: string;
  readonly said: Said;
}

/** Works one use out; throws a {@link Problem} for what is wrong with it. */
export async function work(
  { uow, person, access, stencil }: Using,
  definitions: ReadonlyMap<string, FactDefinition>,
  use: StencilUse,
): Promise<Worked> {
  const { definition } = stencil;
  const { asks, root } = definition;
  const other = Object.keys(use.facts).find((code) => !asks.includes(code));
  if (other !== undefined) throw wrongField(`/facts/${other}`, message('plan.stencilDoesNotAsk', { other }));
  const types = { facts: asks.flatMap((code) => definitions.get(code) ?? []) };
  const { facts, worded } = await checkFacts(uow, access, person, types, use.facts as Facts);
  const missing = asks.find((code) => facts[code] === undefined);
  if (missing !== undefined)
    throw wrongField(`/facts/${missing}`, message('plan.missing', { fact: definitions.get(missing)?.title ?? missing }));
  const roles = await rolesOf(uow, definition, use.roles);
  const words: Record<string, string> = {};
  for (const { folder } of foldersOf(root)) {
    for (const [code, value] of Object.entries(folder.facts)) words[code] ??= valuesOf(value).join(', ');
  }
  for (const [code, value] of Object.entries(worded)) words[code] = String(value);
  const code = use.code.trim() || fillCode(root.code, words);
  const title = use.title.trim() || fillText(root.title, words);
  if (title === '') throw wrongField('/title', message('plan.folderWouldHaveNo'));
  return { code, title, said: { words, facts, roles } };
}

/** Throws for what cannot be a code. */
export function requireCode(code: string): void {
  if (!codePattern.test(code))
    throw wrongField('/code', code === '' ? message('plan.codeMissing') : message('plan.noCodeCapitalLetters', { code }));
}

/**
 * Makes one folder of a stencil in a place, without those inside it. The caller has checked rights and facts. Throws where its code is
 * none or is taken, and where nothing may come in.
 */
export async function makeFolder(
  using: Using,
  parent: placeStore.PlaceRow,
  folder: StencilFolder,
  { code, title, said, asked }: { code: string; title: string; said: Said; asked: Facts },
): Promise<placeStore.PlaceRow> {
  const { uow, stencil, person } = using;
  requireCode(code);
  const shut = await shutAround(uow, parent, person.today);
  if (shut) throw new Problem(409, 'folder-closed', shut);
  await codeStore.lockCodes(uow);
  if (await codeStore.codeTaken(uow, code, 'folder', parent.id)) throw wrongField('/code', message('plan.existsAlready', { code }));
  const id = uuidv7();
  const state: FolderState = { ...filledState(folder, said, asked), code, title };
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
  const bare: FolderState = { ...state, grants: [], rules: [], marking: null, standAlone: false, numbering: null };
  await setState(using, id, bare, state, ['facts', 'grants', 'rules', 'marking', 'standAlone', 'numbering']);
  return (await placeStore.placeById(uow, id))!;
}

/** Makes a folder of a stencil with all that lie in it; gives it, and what those inside are called. */
export async function makeFolders(
  using: Using,
  parent: placeStore.PlaceRow,
  { code, title, said }: Worked,
): Promise<{ root: placeStore.PlaceRow; inside: string[] }> {
  const { root: outermost } = using.stencil.definition;
  const root = await makeFolder(using, parent, outermost, { code, title, said, asked: said.facts });
  return { root, inside: await makeInside(using, root, outermost, said) };
}

/** Makes what lies in a folder of a stencil, level by level; gives what each is called. */
async function makeInside(using: Using, parent: placeStore.PlaceRow, folder: StencilFolder, said: Said): Promise<string[]> {
  let names: string[] = [];
  for (const child of folder.inside) {
    const [code, title] = [fillCode(child.code, said.words), fillText(child.title, said.words)];
    const made = await makeFolder(using, parent, child, { code, title, said, asked: {} });
    names = [...names, `${code} ${title}`, ...(await makeInside(using, made, child, said))];
  }
  return names;
}

const grantKey = (g: PlacedGrant): string => JSON.stringify([g.principalId, g.profile, g.from, g.until]);

/** Parts that stand in the row of the folder. */
const inRow: ReadonlySet<BroughtPart> = new Set([
  'code',
  'title',
  'note',
  'message',
  'standAlone',
  'jurisdictions',
  'numbering',
  'types',
  'formats',
  'largest',
  'facts',
  'readyTitles',
]);

/** Makes a folder what it is to be; only the parts named are looked at. */
export async function setState(
  { uow, services, stencil }: Using,
  placeId: string,
  before: FolderState,
  after: FolderState,
  parts: readonly BroughtPart[],
): Promise<void> {
  if (parts.includes('code') && before.code !== after.code) {
    await codeStore.keepFormerCode(uow, (await placeStore.placeById(uow, placeId))!, uow.actor.today);
    await codeStore.dropFormerCode(uow, placeId, after.code);
  }
  if (parts.some((p) => inRow.has(p))) await stencils.writeState(uow, placeId, after);
  if (parts.includes('numbering') && after.numbering !== null)
    await services.events.tell(uow, 'numberingSet', { numberingId: after.numbering });
  if (parts.includes('rules')) {
    for (const rule of after.rules) if (!before.rules.includes(rule)) await placeStore.addRule(uow, placeId, rule);
    for (const rule of before.rules) if (!after.rules.includes(rule)) await placeStore.removeRule(uow, placeId, rule);
  }
  if (parts.includes('grants')) {
    const [had, wanted] = [new Set(before.grants.map(grantKey)), new Set(after.grants.map(grantKey))];
    for (const { from, until, ...grant } of after.grants.filter((one) => !had.has(grantKey(one)))) {
      const days = { ...(from === null ? {} : { from }), ...(until === null ? {} : { until }) };
      const id = await placeGrant(uow, { ...grant, ...days, placeId, reason: `stencil “${stencil.title}”` });
      await stencils.markGrant(uow, id, stencil.id);
    }
    for (const g of before.grants.filter((one) => !wanted.has(grantKey(one)))) await stencils.dropGrant(uow, placeId, stencil.id, g);
  }
  if (parts.includes('grants') || parts.includes('standAlone')) {
    // With grants of its own, or standing alone, access comes from the folder itself; otherwise from around it.
    await settleAnchor(uow, placeId);
  }
  if (parts.includes('marking')) {
    const around = await markingOfPlace(uow, (await placeStore.placeById(uow, placeId))!.parent_id!);
    // A stencil may mark more strictly than what is around, never less.
    await markPlace(uow, placeId, joined(around, after.marking ?? around));
  }
}

/** What was brought to one use, for its line. */
export type Bringing = Pick<Told<BroughtLine>, 'changes' | 'kept' | 'rules' | 'dates'>;

/** Whether the code of a folder counts, so that what it says is no code yet. */
export const counts = (folder: StencilFolder): boolean => isCodePattern(folder.code);
