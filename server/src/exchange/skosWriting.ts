import type { Wire } from './bringing.js';

/** Vocabularies that a plan is written and read in. */
export const vocabularies = {
  skos: 'http://www.w3.org/2004/02/skos/core#',
  dcterms: 'http://purl.org/dc/terms/',
  owl: 'http://www.w3.org/2002/07/owl#',
  xsd: 'http://www.w3.org/2001/XMLSchema#',
} as const;

/** What goes before a note of what does not belong in a place: SKOS has no property of its own for that. */
export const notHereMark = 'Not here: ';

/**
 * A plan as a concept scheme of SKOS (W3C Recommendation, 2009) in JSON-LD 1.1: one concept a place, whose notation is its path and so is
 * unique in the scheme; scope notes, former codes as hidden labels, jurisdictions and days as Dublin Core terms.
 */
export function skosOf(title: string, all: readonly { readonly id: string; readonly wire: Wire }[]): Buffer {
  const iri = (id: string): string => `urn:uuid:${id}`;
  const text = (wire: Wire, field: string): string => (wire[field] as string | null) ?? '';
  const root = all.find(({ wire }) => wire['kind'] === 'repository');
  const scheme = root ? iri(root.id) : 'urn:key-cellar:plan';
  const concepts = all.filter((one) => one !== root);
  const byPath = new Map(concepts.map((one) => [text(one.wire, 'path'), one]));
  const aroundOf = (wire: Wire): string | undefined => byPath.get((wire['inside'] as { to: string } | null)?.to ?? '')?.id;
  const narrower = new Map<string, string[]>();
  for (const { id, wire } of concepts) {
    const around = aroundOf(wire);
    if (around !== undefined) narrower.set(around, [...(narrower.get(around) ?? []), id]);
  }
  const refs = (ids: readonly string[]): { '@id': string }[] => ids.map((id) => ({ '@id': iri(id) }));
  const day = (on: string): object => ({ '@value': on, '@type': 'xsd:date' });
  const graph = concepts.map(({ id, wire }) => {
    const around = aroundOf(wire);
    const inside = narrower.get(id) ?? [];
    const former = (wire['formerCodes'] as { code: string }[]).map((f) => f.code);
    const where = wire['jurisdictions'] as string[];
    return {
      '@id': iri(id),
      '@type': 'skos:Concept',
      'skos:notation': text(wire, 'path'),
      'skos:prefLabel': text(wire, 'title'),
      'skos:inScheme': { '@id': scheme },
      ...(around === undefined ? { 'skos:topConceptOf': { '@id': scheme } } : { 'skos:broader': { '@id': iri(around) } }),
      ...(inside.length > 0 ? { 'skos:narrower': refs(inside) } : {}),
      ...(text(wire, 'note') ? { 'skos:scopeNote': text(wire, 'note') } : {}),
      ...(text(wire, 'notHere') ? { 'skos:note': `${notHereMark}${text(wire, 'notHere')}` } : {}),
      ...(former.length > 0 ? { 'skos:hiddenLabel': former } : {}),
      ...(where.length > 0 ? { 'dcterms:spatial': where } : {}),
      'dcterms:type': text(wire, 'kind'),
      'dcterms:created': day(text(wire, 'openedOn')),
      ...(wire['retiredOn'] ? { 'owl:deprecated': true, 'dcterms:valid': `end=${text(wire, 'retiredOn')}; scheme=W3C-DTF;` } : {}),
    };
  });
  const tops = concepts.filter(({ wire }) => aroundOf(wire) === undefined).map(({ id }) => id);
  const schemeItself = {
    '@id': scheme,
    '@type': 'skos:ConceptScheme',
    'dcterms:title': title,
    ...(tops.length > 0 ? { 'skos:hasTopConcept': refs(tops) } : {}),
  };
  return Buffer.from(`${JSON.stringify({ '@context': vocabularies, '@graph': [schemeItself, ...graph] }, null, 2)}\n`);
}
