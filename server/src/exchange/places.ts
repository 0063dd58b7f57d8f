import type { ItemOf } from '@key-cellar/contract';
import type { Here, Section, Wire } from './bringing.js';
import { pathsOf, type Names } from './names.js';
import { writePlaces } from './placeWriting.js';
import * as store from './store.js';

type Item = ItemOf<'places'>;

const toItem = (p: store.ExchangedPlace, path: string): Item => ({
  path,
  kind: p.kind,
  inside: p.parent_id,
  code: p.code,
  title: p.title,
  note: p.note,
  notHere: p.not_here,
  message: p.message,
  openedOn: p.opened_on,
  closedOn: p.closed_on,
  retiredOn: p.retired_on,
  formerCodes: p.former.filter((f) => f.code !== p.code),
  jurisdictions: [...p.jurisdictions].sort(),
  rules: p.rules,
  pairs: p.pairs,
  numbering: p.numbering_id,
  takes: p.takes,
  facts: p.facts,
  readyTitles: p.ready_titles,
  declareOn: p.declare_on,
  frozenWhenDeclared: [...p.frozen_when_declared].sort() as Item['frozenWhenDeclared'],
  standAlone: p.stand_alone,
  readerOnPages: p.reader_on_pages,
  accessTags: [...p.access_tags],
  marking: { level: p.marking_level, caveats: [...p.marking_caveats].sort() },
  grants: p.grants,
  madeFrom:
    p.stencil_id === null ? null : { stencil: p.stencil_id, version: p.stencil_version!, key: p.stencil_key!, words: p.stencil_words },
});

/** All places from the repository inwards, each before what is in it, in the order of the plan. */
function inOrder(all: readonly store.ExchangedPlace[]): store.ExchangedPlace[] {
  const children = new Map<string | null, store.ExchangedPlace[]>();
  for (const p of all) {
    const beside = children.get(p.parent_id);
    if (beside) beside.push(p);
    else children.set(p.parent_id, [p]);
  }
  const sorted: store.ExchangedPlace[] = [];
  const walk = (parent: string | null): void => {
    for (const p of children.get(parent) ?? []) {
      sorted.push(p);
      walk(p.id);
    }
  };
  walk(null);
  return sorted;
}

const codesIn = (list: unknown): string[] => (Array.isArray(list) ? list.map((former) => String((former as { code?: unknown }).code)) : []);

/** What tells a place with a code from all others: of a folder the place around it as well. */
function standingKey(wire: Wire, code: unknown, names: Names): string {
  const { kind, inside } = wire;
  const around = kind === 'folder' && inside ? (names.idOf(inside as never) ?? '') : '';
  return `${String(kind)} ${around} ${String(code)}`;
}

const blankTexts = { note: '', notHere: '', message: '' };

export const places: Section<'places'> = {
  name: 'places',
  key: ['code', 'kind', 'inside'],
  table: null,
  nameOf: (item) => String(item['path']),
  reference: (item) => ({ refers: 'place', to: String(item['path']) }),
  identity: ['path'],
  additive: ['formerCodes'],
  blank: (today) => ({
    ...blankTexts,
    openedOn: today,
    closedOn: null,
    retiredOn: null,
    formerCodes: [],
    jurisdictions: [],
    rules: [],
    pairs: [],
    numbering: null,
    takes: null,
    facts: {},
    readyTitles: [],
    declareOn: null,
    frozenWhenDeclared: [],
    standAlone: false,
    readerOnPages: false,
    accessTags: [],
    marking: { level: 0, caveats: [] },
    grants: [],
    madeFrom: null,
  }),
  async all(db) {
    const all = inOrder(await store.places(db));
    const paths = pathsOf(all);
    return all.map((p) => ({ id: p.id, item: toItem(p, paths.get(p.id)!) }));
  },
  depth: (wire) => String(wire['path']).replaceAll('//', '').split('/').length,
  matcher(here: Here, names: Names) {
    const root = [...here.byId.values()].find((one) => one.wire['kind'] === 'repository');
    const [current, former] = [new Map<string, string>(), new Map<string, string>()];
    for (const { id, wire } of here.byId.values()) {
      current.set(standingKey(wire, wire['code'], names), id);
      for (const code of codesIn(wire['formerCodes'])) former.set(standingKey(wire, code, names), id);
    }
    return (wire) => {
      if (wire['kind'] === 'repository') return root && { id: root.id, silent: [] };
      // Under another way than here, because something around it is called otherwise.
      const there = current.get(standingKey(wire, wire['code'], names));
      if (there !== undefined) return { id: there, silent: [] };
      // The place here had the code that comes: it is meant, and keeps the code that it has now.
      const before = former.get(standingKey(wire, wire['code'], names));
      if (before !== undefined) return { id: before, silent: ['code'] };
      // What comes had the code of the place here: that is renumbered.
      for (const code of codesIn(wire['formerCodes'])) {
        const id = current.get(standingKey(wire, code, names));
        if (id !== undefined) return { id, silent: [] };
      }
      return undefined;
    };
  },
  write: writePlaces,
};
