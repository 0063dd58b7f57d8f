import { parseCivilDate } from '@key-cellar/core/calendar';
import { placeKinds, type PlaceKind } from '@key-cellar/core/plan';
import { message, type Message } from '@key-cellar/words';
import type { Incoming } from './bringing.js';
import { pathUnder } from './names.js';
import type { Concept } from './skosReading.js';
import { notHereMark } from './skosWriting.js';

type Wrong = (concept: Concept, field: string, sentence: Message) => void;
const isKind = (kind: string | null): kind is Exclude<PlaceKind, 'repository'> =>
  kind !== null && kind !== 'repository' && (placeKinds as readonly string[]).includes(kind);

/** The last step of a path: single slashes separate steps, double ones stand in a code. */
const lastStep = (path: string): string => path.replaceAll('//', '\u0000').split('/').at(-1)!.replaceAll('\u0000', '/');

/** What a concept is called in messages. */
export const calledConcept = (c: Concept): string => c.notations[0] ?? c.labels[0] ?? c.iri;

/** The level of a concept in a scheme that does not say which kind each is: functions, then activities where something is in them, then series. */
function kindAt(depth: number, hasInside: boolean): Exclude<PlaceKind, 'repository'> {
  if (depth === 0) return 'function';
  if (depth === 1) return hasInside ? 'activity' : 'series';
  return depth === 2 ? 'series' : 'folder';
}

/** Concepts as places, from the outside inwards; what cannot be a place is told. `today` is the last day of codes that are former ones. */
export function placesOf(concepts: readonly Concept[], today: string, wrong: Wrong): Incoming[] {
  const byIri = new Map(concepts.map((c) => [c.iri, c]));
  const inside = new Map<string, Concept[]>();
  for (const c of concepts) {
    const around = c.broader.filter((iri) => byIri.has(iri));
    if (around.length > 1) wrong(c, 'inside', message('exchange.skos.several', { n: around.length }));
    const [parent = ''] = around;
    inside.set(parent, [...(inside.get(parent) ?? []), c]);
  }
  const seen = new Set<Concept>();
  const notations = new Map<string, Concept>();
  const incoming: Incoming[] = [];
  const visit = (c: Concept, depth: number, around: string): void => {
    seen.add(c);
    const children = inside.get(c.iri) ?? [];
    const kind = isKind(c.type) ? c.type : kindAt(depth, children.length > 0);
    const [notation, ...more] = c.notations;
    const [title] = c.labels;
    if (notation === undefined) wrong(c, 'code', message('exchange.skos.noNotation'));
    if (more.length > 0) wrong(c, 'code', message('exchange.skos.notations', { notations: { all: c.notations } }));
    if (title === undefined) wrong(c, 'title', message('tables.missing'));
    const code = (kind === 'folder' ? lastStep(notation ?? '') : (notation ?? '').replaceAll('//', '/')).toUpperCase();
    const path = pathUnder(kind, code, around);
    const twice = notations.get(path);
    if (twice) wrong(c, 'code', message('exchange.skos.twice', { name: calledConcept(twice) }));
    notations.set(path, c);
    const [, until] = /end=(\d{4}-\d{2}-\d{2})/.exec(c.valid ?? '') ?? [];
    const notHere = c.notes.find((note) => note.startsWith(notHereMark))?.slice(notHereMark.length);
    const common = 'theirs';
    incoming.push({
      common: () => common,
      wire: {
        path,
        kind,
        code,
        inside: { refers: 'place', to: around },
        title: title ?? '',
        ...(c.scopeNotes.length > 0 ? { note: c.scopeNotes.join('\n\n') } : {}),
        ...(notHere === undefined ? {} : { notHere }),
        ...(c.hiddenLabels.length > 0
          ? { formerCodes: c.hiddenLabels.map((former) => ({ code: former.toUpperCase(), until: today })) }
          : {}),
        ...(c.jurisdictions.length > 0 ? { jurisdictions: [...c.jurisdictions].sort() } : {}),
        ...(c.created !== null && parseCivilDate(c.created) !== null ? { openedOn: c.created } : {}),
        ...(c.deprecated ? { retiredOn: until ?? today } : {}),
      },
    });
    for (const child of children) if (!seen.has(child)) visit(child, depth + 1, path);
  };
  for (const top of inside.get('') ?? []) visit(top, 0, '');
  for (const c of concepts) if (!seen.has(c)) wrong(c, 'inside', message('exchange.skos.circle'));
  return incoming;
}
