import { Readable } from 'node:stream';
import { message, type Message } from '@key-cellar/words';
import { Problem, task } from '../kernel/index.js';
import { vocabularies } from './skosWriting.js';

export const skosFormats = ['jsonld', 'rdfxml', 'turtle'] as const;
export type SkosFormat = (typeof skosFormats)[number];

/** Statements that a scheme may have. */
const mostStatements = 1_000_000;

/** A concept as far as a plan has something for it. Texts are those without a language, or in the language that most labels have. */
export interface Concept {
  readonly iri: string;
  readonly notations: readonly string[];
  readonly labels: readonly string[];
  readonly broader: readonly string[];
  readonly scopeNotes: readonly string[];
  readonly notes: readonly string[];
  readonly hiddenLabels: readonly string[];
  readonly jurisdictions: readonly string[];
  readonly type: string | null;
  readonly created: string | null;
  readonly valid: string | null;
  readonly deprecated: boolean;
}

export const readingSkos = task<{ readonly bytes: Uint8Array; readonly format: SkosFormat }, Concept[]>('skos', { patienceMs: 60_000 });

const wrong = (what: Message): Problem => new Problem(422, 'no-scheme', what);

interface Term {
  readonly termType: string;
  readonly value: string;
  readonly language?: string;
}
interface Quad {
  readonly subject: Term;
  readonly predicate: Term;
  readonly object: Term;
}

/** A parser, loaded when it is needed. `leansOn` is told of a document that another would have to be fetched for: none is. */
async function parserOf(format: SkosFormat, leansOn: (url: string) => void): Promise<NodeJS.ReadWriteStream> {
  const baseIRI = 'urn:key-cellar:read';
  const refuse = (url: string): Promise<never> => {
    leansOn(url);
    return Promise.reject(new Error('nothing is fetched'));
  };
  switch (format) {
    case 'jsonld': {
      const { JsonLdParser } = await import('jsonld-streaming-parser');
      return new JsonLdParser({ baseIRI, documentLoader: { load: refuse } }) as unknown as NodeJS.ReadWriteStream;
    }
    case 'rdfxml': {
      const { RdfXmlParser } = await import('rdfxml-streaming-parser');
      return new RdfXmlParser({ baseIRI }) as unknown as NodeJS.ReadWriteStream;
    }
    case 'turtle': {
      const { StreamParser } = await import('n3');
      return new StreamParser({ baseIRI, format: 'text/turtle' }) as unknown as NodeJS.ReadWriteStream;
    }
  }
}

const typeIri = 'http://www.w3.org/1999/02/22-rdf-syntax-ns#type';

async function statements(bytes: Buffer, format: SkosFormat): Promise<Quad[]> {
  const quads: Quad[] = [];
  let wanted: string | null = null;
  try {
    const parser = await parserOf(format, (url) => (wanted = url));
    const source = Readable.from([bytes]);
    source.on('error', (error) => parser.emit('error', error));
    for await (const quad of source.pipe(parser)) {
      quads.push(quad as unknown as Quad);
      if (quads.length > mostStatements) throw wrong(message('exchange.skos.tooMany', { most: mostStatements }));
    }
  } catch (error) {
    if (error instanceof Problem) throw error;
    if (wanted !== null) throw wrong(message('exchange.skos.fetches', { url: wanted }));
    throw wrong(message('exchange.skos.unreadable', { format, why: error instanceof Error ? error.message.split('\n')[0]! : '' }));
  }
  return quads;
}

/** The language that most preferred labels are in; empty: they have none. */
function languageOf(quads: readonly Quad[]): string {
  const counts = new Map<string, number>();
  for (const q of quads) {
    if (q.predicate.value !== `${vocabularies.skos}prefLabel`) continue;
    const language = q.object.language ?? '';
    counts.set(language, (counts.get(language) ?? 0) + 1);
  }
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? '';
}

/** Reads a concept scheme of SKOS. Runs in a thread that can be ended; throws a problem that says what is wrong with the file. */
export async function conceptsIn({ bytes, format }: { readonly bytes: Uint8Array; readonly format: SkosFormat }): Promise<Concept[]> {
  const quads = await statements(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength), format);
  const language = languageOf(quads);
  const { skos, dcterms, owl } = vocabularies;
  const of = new Map<string, Quad[]>();
  for (const q of quads) of.set(q.subject.value, [...(of.get(q.subject.value) ?? []), q]);
  const isConcept = (own: readonly Quad[]): boolean =>
    own.some((q) => q.predicate.value === typeIri && q.object.value === `${skos}Concept`);
  const concepts = [...of].filter(([, own]) => isConcept(own));
  if (concepts.length === 0) throw wrong(message('exchange.skos.none'));
  const narrowerOf = new Map<string, string[]>();
  for (const q of quads) {
    if (q.predicate.value === `${skos}narrower`)
      narrowerOf.set(q.object.value, [...(narrowerOf.get(q.object.value) ?? []), q.subject.value]);
  }
  return concepts.map(([iri, own]) => {
    const all = (predicate: string): string[] => own.filter((q) => q.predicate.value === predicate).map((q) => q.object.value);
    const texts = (predicate: string): string[] => {
      const found = own.filter((q) => q.predicate.value === predicate && q.object.termType === 'Literal');
      const plain = found.filter((q) => (q.object.language ?? '') === language);
      return (plain.length > 0 ? plain : found).map((q) => q.object.value);
    };
    return {
      iri,
      notations: all(`${skos}notation`),
      labels: texts(`${skos}prefLabel`),
      broader: [...new Set([...all(`${skos}broader`), ...(narrowerOf.get(iri) ?? [])])],
      scopeNotes: texts(`${skos}scopeNote`),
      notes: texts(`${skos}note`),
      hiddenLabels: all(`${skos}hiddenLabel`),
      jurisdictions: all(`${dcterms}spatial`),
      type: all(`${dcterms}type`)[0] ?? null,
      created: all(`${dcterms}created`)[0] ?? null,
      valid: all(`${dcterms}valid`)[0] ?? null,
      deprecated: all(`${owl}deprecated`)[0] === 'true',
    };
  });
}
