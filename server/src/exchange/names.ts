import { reference, type Reference } from '@key-cellar/contract';
import { isId } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import type { Db } from '../kernel/index.js';
import * as store from './store.js';

type Refers = Reference['refers'];

/** Paths and codes are told apart letter by letter, everything else without case. */
const exact: ReadonlySet<Refers> = new Set(['place', 'rule', 'record']);
const keyOf = ({ refers, to }: Reference): string => `${refers} ${exact.has(refers) ? to : to.toLowerCase()}`;

function isReference(value: object): value is Reference {
  return Object.keys(value).length === 2 && reference.safeParse(value).success;
}

/** Every value inside of another that is no list and no object, or a reference. */
function* leavesOf(value: unknown): Generator<unknown> {
  if (Array.isArray(value)) for (const one of value) yield* leavesOf(one);
  else if (typeof value === 'object' && value !== null && !isReference(value)) yield* leavesOf(Object.values(value));
  else yield value;
}

function mapped(value: unknown, leaf: (value: unknown) => unknown): unknown {
  if (Array.isArray(value)) return value.map((one) => mapped(one, leaf));
  if (typeof value !== 'object' || value === null || isReference(value)) return leaf(value);
  return Object.fromEntries(Object.entries(value).map(([name, one]) => [name, mapped(one, leaf)]));
}

/**
 * How things are called that values point at by their ids, and which ids belong to names. Both ways are one walk over a value: no field
 * is named here, so that none can be forgotten.
 */
export class Names {
  private readonly byId = new Map<string, Reference>();
  private readonly byName = new Map<string, string>();

  static async load(db: Db): Promise<Names> {
    const names = new Names();
    for (const { refers, id, name } of await store.named(db)) names.add({ refers, to: name }, id);
    for (const [id, path] of pathsOf(await store.wayParts(db))) names.add({ refers: 'place', to: path }, id);
    return names;
  }

  /** Makes a name known; gives the id. What was known by it before is not any more. */
  add(to: Reference, id: string = uuidv7()): string {
    const before = this.byId.get(id);
    if (before) this.byName.delete(keyOf(before));
    this.byId.set(id, to);
    this.byName.set(keyOf(to), id);
    return id;
  }

  /** The names of everything of a kind. */
  *namesOf(refers: Refers): Generator<string> {
    for (const name of this.byId.values()) if (name.refers === refers) yield name.to;
  }

  /** Makes another name of something known. */
  alias(to: Reference, id: string): void {
    this.byName.set(keyOf(to), id);
  }

  idOf(to: Reference): string | undefined {
    return this.byName.get(keyOf(to));
  }

  nameOf(id: string): Reference | undefined {
    return this.byId.get(id);
  }

  /** Reads the numbers of records that a value points at: of these there are too many to know all. */
  async learn(db: Db, value: unknown): Promise<void> {
    const [ids, numbers]: [string[], string[]] = [[], []];
    for (const leaf of leavesOf(value)) {
      if (typeof leaf === 'string' && isId(leaf) && !this.byId.has(leaf)) ids.push(leaf);
      else if (typeof leaf === 'object' && leaf !== null && (leaf as Reference).refers === 'record') numbers.push((leaf as Reference).to);
    }
    if (ids.length + numbers.length === 0) return;
    for (const record of await store.records(db, ids, numbers)) this.add({ refers: 'record', to: record.number }, record.id);
  }

  /** A value as it leaves: names where it has ids of things that are known. */
  outward(value: unknown): unknown {
    return mapped(value, (leaf) => (typeof leaf === 'string' && isId(leaf) ? (this.byId.get(leaf) ?? leaf) : leaf));
  }

  /** A value as it is kept here. `unknown` is told of names that nothing has here; they stay as they are. */
  inward(value: unknown, unknown: (to: Reference) => void): unknown {
    return mapped(value, (leaf) => {
      if (typeof leaf !== 'object' || leaf === null) return leaf;
      const id = this.idOf(leaf as Reference);
      if (id === undefined) unknown(leaf as Reference);
      return id ?? leaf;
    });
  }
}

/** A code on the way to a folder: a slash in it stands twice. */
export const step = (code: string): string => code.replaceAll('/', '//');

/** The path of a place under its parent’s: of a plan node its own code, of a folder those from its series on. */
export function pathUnder(kind: string, code: string, parentPath: string): string {
  if (kind === 'repository') return '';
  return kind === 'folder' ? `${parentPath}/${step(code)}` : step(code);
}

/** The paths of all places by their ids. Places come from the outside inwards. */
export function pathsOf(places: readonly { id: string; kind: string; code: string; parent_id: string | null }[]): Map<string, string> {
  const paths = new Map<string, string>();
  for (const p of places) paths.set(p.id, pathUnder(p.kind, p.code, paths.get(p.parent_id ?? '') ?? ''));
  return paths;
}
