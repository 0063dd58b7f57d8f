import { takesRecords, type PlaceKind } from '@key-cellar/core/plan';
import { byWords } from './words';

/** A place as an outline lists it. */
interface Listed {
  readonly id: string;
  readonly kind: PlaceKind;
  readonly parentId: string | null;
  readonly code: string;
  readonly title: string;
  readonly shut: string | null;
}

/** Series and folders of an outline into which something may go, each folder after its series and named with what it lies in. */
export function filingPlaces<P extends Listed>(places: readonly P[], may: (place: P) => boolean): (P & { readonly name: string })[] {
  const byId = new Map(places.map((p) => [p.id, p]));
  return places
    .filter((p) => takesRecords(p.kind) && may(p) && p.shut === null)
    .map((p) => {
      const parent = p.kind === 'folder' && p.parentId ? byId.get(p.parentId) : undefined;
      const codes = parent ? [parent.code, p.code] : [p.code];
      return { codes, place: { ...p, name: `${codes.join(' › ')} ${p.title}` } };
    })
    .sort((a, b) => byWords(a.codes[0]!, b.codes[0]!) || byWords(a.codes[1] ?? '', b.codes[1] ?? ''))
    .map(({ place }) => place);
}
