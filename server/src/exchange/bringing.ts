import { createHash } from 'node:crypto';
import type { ConflictWay, ItemOf, PackageOutcome, Reference, SectionName, Told } from '@key-cellar/contract';
import { messageOfIssue, packageSections } from '@key-cellar/contract';
import { hasRight, type Right } from '@key-cellar/core/access';
import { merge, type Common } from '@key-cellar/core/exchange';
import { canonicalJson } from '@key-cellar/core/ledger';
import { message, type Message, type Value } from '@key-cellar/words';
import type { Services } from '../records/index.js';
import { Problem, type Db, type PersonAccess, type SignedIn, type UnitOfWork } from '../kernel/index.js';
import type { Names } from './names.js';
import * as store from './store.js';

/** An item as it leaves and comes: names where this repository has ids. A table may leave fields out. */
export type Wire = Readonly<Record<string, unknown>>;

/** One item that somebody brings. */
export interface Incoming {
  readonly wire: Wire;
  /** What both sides had in common, where it is known under a name that it has here or there. */
  common(names: readonly string[]): Common;
  /** Where a table has it. */
  readonly row?: number;
  /** Of an export of this very repository: which one it was. */
  readonly id?: string | undefined;
}

/** An item that becomes another, or comes to be. */
export interface Change<I> {
  readonly id: string;
  readonly name: string;
  readonly before: I | null;
  readonly after: I;
  readonly taken: readonly string[];
  /** Fields that came with it. */
  readonly said: readonly string[];
  readonly row: number | undefined;
}

/** A kind of things in a package: what there is, and how one is brought. */
export interface Section<N extends SectionName> {
  readonly name: N;
  /** Fields that its name is made of: a table that lacks one says nothing. */
  readonly key: readonly string[];
  /** Where its things are kept: what is merged must still be so when it is written. Places are locked one by one. */
  readonly table: store.LockedTable | null;
  /** The list that has a row for each of its things in a table. */
  readonly rowsOf?: string;
  /** What tells an item apart from all others of its kind, wherever it is. */
  nameOf(item: Wire): string;
  /** How others point at it; null: nothing does by an id. */
  reference(item: Wire): Reference | null;
  /** Fields that only grow. */
  readonly histories?: readonly string[];
  /** What a new item is where a table does not say. */
  readonly blank?: (today: string) => Wire;
  all(db: Db): Promise<readonly { readonly id: string; readonly item: ItemOf<N> }[]>;
  /** Fields whose lists only ever take in more. */
  readonly additive?: readonly string[];
  /** Fields that say which one it is, and never what becomes of it. */
  readonly identity?: readonly string[];
  /** Finds one that is called otherwise here; `silent` fields of what comes then only say which one is meant. */
  matcher?(here: Here, names: Names): (wire: Wire) => { readonly id: string; readonly silent: readonly string[] } | undefined;
  /** How deep it lies in others of its kind, which are found before it. */
  depth?(wire: Wire): number;
  write(bringing: Bringing, changes: readonly Change<ItemOf<N>>[]): Promise<void>;
}

/** The items of a section as they are here, by name and by id. */
export interface Here {
  readonly byName: ReadonlyMap<string, { readonly id: string; readonly wire: Wire }>;
  readonly byId: ReadonlyMap<string, { readonly id: string; readonly wire: Wire }>;
}

export interface Line {
  readonly section: SectionName;
  readonly name: string;
  readonly row: number | undefined;
  /** Of an error or a conflict: which field. */
  readonly field: string | null;
  readonly sentence: Message;
}
interface ChangeLine extends Line {
  readonly what: 'new' | 'changed' | 'kept';
}

/** A bringing as it goes on: what it may use, and what it has found out and done. */
export interface Bringing {
  readonly uow: UnitOfWork;
  readonly services: Services;
  readonly person: SignedIn;
  readonly access: PersonAccess;
  readonly names: Names;
  readonly conflictWay: ConflictWay;
  readonly changes: ChangeLine[];
  readonly conflicts: Line[];
  readonly errors: Line[];
  /** What nothing speaks against, and somebody should know. */
  readonly warnings: Line[];
  /** What has to be dated anew. */
  readonly touched: { all: boolean; readonly places: Set<string> };
  /** Whether the person has a right on the whole repository. */
  may(right: Right): boolean;
  /** All rights that the person has on the whole repository. */
  readonly rights: number;
  /** What a field is called where it comes from. */
  label(field: string): Value;
}

/** Fingerprints of short values, of which most fields of most items have the same few. */
const shortPrints = new Map<string, string>();
const shortest = 40;
const mostPrints = 20_000;

/** A short fingerprint of a value: 36 bits of the SHA-256 of its canonical JSON. */
export function fingerprint(value: unknown): string {
  const text = canonicalJson(value ?? null);
  const known = shortPrints.get(text);
  if (known !== undefined) return known;
  const print = createHash('sha256').update(text).digest('base64url').slice(0, 6);
  if (text.length <= shortest && shortPrints.size < mostPrints) shortPrints.set(text, print);
  return print;
}

const fingerprints = (wire: Wire): Record<string, string> =>
  Object.fromEntries(Object.entries(wire).map(([field, value]) => [field, fingerprint(value)]));

const longest = 60;
const mostNamed = 5;
const cut = (text: string): string => (text.length > longest ? `${text.slice(0, longest - 1)}…` : text);

/** A value in a few words, for a line that says what it was and what it becomes. */
function words(value: unknown): Value {
  if (value === null || value === undefined || value === '' || (Array.isArray(value) && value.length === 0))
    return message('shared.nothing');
  if (typeof value === 'string') return message('exchange.quoted', { text: cut(value) });
  if (typeof value === 'boolean') return message(value ? 'exchange.yes' : 'exchange.no');
  if (typeof value === 'number') return String(value);
  if (Array.isArray(value))
    return value.length <= mostNamed ? { list: value.map(inShort) } : message('exchange.several', { n: value.length });
  const { to } = value as { to?: unknown };
  return typeof to === 'string' ? (to === '' ? message('shared.nothing') : to) : inShort(value);
}

/** Something in a list: its name, or the short parts that it has. */
function inShort(value: unknown): string {
  if (typeof value !== 'object' || value === null) return cut(String(value));
  const { to } = value as { to?: unknown };
  if (typeof to === 'string') return to;
  const parts = Object.values(value).filter(
    (part) => part !== null && (typeof part !== 'object' || 'to' in part) && typeof part !== 'boolean',
  );
  return cut(parts.length > 0 ? parts.map(inShort).join(' · ') : JSON.stringify(value));
}

/** What became of a field. Of a list that stays in part, what came to it and what went. */
function fieldWords(field: Value, before: unknown, after: unknown): Message {
  if (Array.isArray(before) && Array.isArray(after)) {
    const [had, has] = [new Set(before.map(canonicalJson)), new Set(after.map(canonicalJson))];
    const added = after.filter((one) => !had.has(canonicalJson(one)));
    const removed = before.filter((one) => !has.has(canonicalJson(one)));
    const stays = added.length < after.length;
    if (stays && added.length + removed.length > 0)
      return message('exchange.listChanges', {
        field,
        added: words(added),
        nAdded: added.length,
        removed: words(removed),
        nRemoved: removed.length,
      });
  }
  return message('exchange.field', { field, before: words(before), after: words(after) });
}

/** Throws what went wrong here, and gives the reason of everything else. */
const reasonOf = (error: unknown): Message => {
  if (error instanceof Problem && error.status < 500) return error.said;
  throw error;
};

/** Everything of a section as it leaves. */
export async function outgoing<N extends SectionName>(db: Db, section: Section<N>, names: Names): Promise<{ id: string; wire: Wire }[]> {
  const all = await section.all(db);
  await names.learn(db, all);
  return all.map(({ id, item }) => ({ id, wire: names.outward(item) as Wire }));
}

/** An item that comes, with what it is here. */
interface Met {
  readonly one: Incoming;
  /** As readers know it. */
  readonly name: string;
  readonly id: string;
  readonly before: Wire | null;
  /** Fields of what comes that only say which one is meant. */
  readonly silent: readonly string[];
}

/** As readers know an item: keys are without case, and say more than a name. The repository has none but its own. */
function calledIn<N extends SectionName>(b: Bringing, section: Section<N>, wire: Wire): string {
  return (section.reference(wire)?.to ?? section.nameOf(wire)) || String(wire['code'] ?? '') || b.person.repository;
}

/** Finds what each item that comes is here; what is new gets its id, so that others that come can point at it. */
function meet<N extends SectionName>(b: Bringing, section: Section<N>, here: Here, incoming: readonly Incoming[]): Met[] {
  const match = section.matcher?.(here, b.names);
  const { depth } = section;
  const outsideIn = depth ? [...incoming].sort((one, two) => depth(one.wire) - depth(two.wire)) : incoming;
  const met = new Map<string, Met>();
  for (const one of outsideIn) {
    const found = (one.id === undefined ? undefined : here.byId.get(one.id)) ?? here.byName.get(section.nameOf(one.wire));
    const other = found ? undefined : match?.(one.wire);
    const id = found?.id ?? other?.id;
    const name = calledIn(b, section, one.wire);
    const key = id ?? section.nameOf(one.wire);
    const twice = met.get(key);
    if (twice) {
      const row = twice.one.row === undefined ? 'none' : String(twice.one.row);
      b.errors.push({ section: section.name, name, row: one.row, field: null, sentence: message('exchange.twice', { name, row }) });
      continue;
    }
    const before = id === undefined ? null : here.byId.get(id)!.wire;
    const reference = section.reference(one.wire);
    const silent = [...(before ? (section.identity ?? []) : []), ...(other?.silent ?? [])];
    met.set(key, { one, name, before, silent, id: id ?? (reference ? b.names.add(reference) : key) });
    // What comes under another name than it has here is meant by both.
    if (id !== undefined && reference && b.names.idOf(reference) === undefined) b.names.alias(reference, id);
  }
  return [...met.values()];
}

/** An item with the ids of this repository; what is wrong with it is told, and null given. */
function checked<N extends SectionName>(b: Bringing, section: Section<N>, { name, one }: Met, wire: Wire): ItemOf<N> | null {
  const bad = (field: string | null, sentence: Message): void =>
    void b.errors.push({ section: section.name, name, row: one.row, field, sentence });
  const missing = new Map<string, Reference>();
  const item = b.names.inward(wire, (to) => missing.set(JSON.stringify(to), to));
  for (const to of missing.values()) {
    const field = Object.keys(wire).find((f) => mentions(wire[f], to)) ?? null;
    bad(field, message('exchange.unknown', { kind: to.refers, name: to.to }));
  }
  if (missing.size > 0) return null;
  const parsed = packageSections[section.name].safeParse(item);
  if (parsed.success) return parsed.data as ItemOf<N>;
  for (const issue of parsed.error.issues) {
    const sentence = message('exchange.wrong', { at: issue.path.join('/'), what: messageOfIssue(issue) });
    bad(String(issue.path[0] ?? ''), sentence);
  }
  return null;
}

/** Merges what comes into what is here, and tells what that does; null where nothing is written. */
function mergeOne<N extends SectionName>(b: Bringing, section: Section<N>, met: Met): Change<ItemOf<N>> | null {
  const { one, name, id, before, silent } = met;
  const at = (field: string | null, sentence: Message): Line => ({ section: section.name, name, row: one.row, field, sentence });
  const start = before ?? section.blank?.(b.uow.actor.today) ?? {};
  const wire = Object.fromEntries(Object.entries(one.wire).filter(([field]) => !silent.includes(field)));
  // What it points at may be called otherwise here; that is no change.
  const meant = { ...(b.names.outward(b.names.inward(wire, () => undefined)) as Wire) } as Record<string, unknown>;
  for (const field of section.additive ?? []) if (field in meant) meant[field] = together(start[field], meant[field]);
  const whole = checked(b, section, met, { ...start, ...meant });
  if (whole === null) return null;
  if (before === null) {
    b.changes.push({ ...at(null, message('exchange.new')), what: 'new' });
    return { id, name, before: null, after: whole, taken: Object.keys({ ...start, ...meant }), said: Object.keys(one.wire), row: one.row };
  }
  const common = asMeant(one.common([section.nameOf(one.wire), section.nameOf(before)]), wire, meant);
  const merged = merge(before, meant, common, fingerprint, section.histories);
  const values: Record<string, unknown> = { ...merged.values };
  const taken = [...merged.taken];
  for (const field of merged.conflicts) {
    const told = at(field, fieldWords(b.label(field), before[field], meant[field]));
    const history = section.histories?.includes(field) ?? false;
    if (history || b.conflictWay === 'refuse') b.conflicts.push(told);
    else if (b.conflictWay === 'keep') b.changes.push({ ...told, what: 'kept' });
    else {
      values[field] = meant[field];
      taken.push(field);
    }
  }
  for (const field of merged.kept) {
    b.changes.push({ ...at(field, message('exchange.keptHere', { field: b.label(field), here: words(before[field]) })), what: 'kept' });
  }
  if (taken.length === 0) return null;
  const after = checked(b, section, met, values);
  if (after === null) return null;
  const list = taken.map((field) => fieldWords(b.label(field), before[field], values[field]));
  b.changes.push({ ...at(null, message('exchange.changed', { changes: { list } })), what: 'changed' });
  const was = b.names.inward(before, () => undefined) as ItemOf<N>;
  return { id, name, before: was, after, taken, said: Object.keys(one.wire), row: one.row };
}

/**
 * Brings items of one section: finds what they are here, merges field by field, and writes what changes. What is wrong, and what was
 * changed on both sides, is told line by line; whoever asked keeps nothing then.
 */
export async function bring<N extends SectionName>(b: Bringing, section: Section<N>, incoming: readonly Incoming[]): Promise<void> {
  if (incoming.length === 0) return;
  if (section.table !== null) await store.lockRows(b.uow, section.table);
  const now = await outgoing(b.uow, section, b.names);
  const here: Here = {
    byName: new Map(now.map((one) => [section.nameOf(one.wire), one])),
    byId: new Map(now.map((one) => [one.id, one])),
  };
  const met = meet(b, section, here, incoming);
  await b.names.learn(
    b.uow,
    incoming.map((one) => one.wire),
  );
  await section.write(
    b,
    met.flatMap((one) => mergeOne(b, section, one) ?? []),
  );
}

/** All that is in one of two lists, each once, those of the first at the head. */
function together(here: unknown, there: unknown): unknown[] {
  const all = [here, there].flatMap((list) => (Array.isArray(list) ? (list as unknown[]) : []));
  return [...new Map(all.map((one) => [canonicalJson(one), one])).values()];
}

/** What was common, with things under the names that they have here. */
function asMeant(common: Common, wire: Wire, meant: Wire): Common {
  if (typeof common === 'string') return common;
  const known = { ...common.known };
  for (const [field, value] of Object.entries(wire)) if (known[field] === fingerprint(value)) known[field] = fingerprint(meant[field]);
  return { known };
}

const mentions = (value: unknown, to: Reference): boolean => JSON.stringify(value ?? null).includes(JSON.stringify(to.to));

/** Tells of one item what is wrong with it. */
export function wrong<N extends SectionName>(
  b: Bringing,
  section: N,
  change: Pick<Change<never>, 'name' | 'row'>,
  field: string,
  sentence: Message,
): void {
  b.errors.push({ section, name: change.name, row: change.row, field, sentence });
}

/** Does something to one item; why it was refused stands in its line. */
export async function attempt<N extends SectionName>(
  b: Bringing,
  section: N,
  change: Pick<Change<never>, 'name' | 'row'>,
  field: string,
  work: () => Promise<unknown>,
): Promise<void> {
  try {
    await work();
  } catch (error) {
    wrong(b, section, change, field, reasonOf(error));
  }
}

export const toLine = ({ section, name, sentence }: Line): Told<PackageOutcome['errors'][number]> => ({ section, name, sentence });

/** Keeps what items were like as they came, for the next time. */
export const remember = (db: Db, section: SectionName, items: readonly { name: string; wire: Wire }[]): Promise<void> =>
  store.writeBrought(
    db,
    section,
    items.map(({ name, wire }) => ({ name, fields: fingerprints(wire) })),
  );

/** What a person may do on the whole repository, whose access set is given. */
export function rightsIn(access: PersonAccess, root: number | null): Pick<Bringing, 'may' | 'rights'> {
  const rights = root === null ? 0 : access.on(root).all;
  return { rights, may: (right) => hasRight(rights, right) };
}
