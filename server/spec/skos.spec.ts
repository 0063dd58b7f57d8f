import { plan, type TableOutcome } from '@key-cellar/contract';
import { createRequire } from 'node:module';
import type * as JsonLd from 'jsonld';
import { chapters } from './support/chapters.js';
import { makeWorld, type World } from './support/world.js';

/** Its build for browsers: the one for Node.js puts a fetch of its own in place of that of every spec that runs after this one. */
const jsonld = createRequire(import.meta.url)('jsonld/dist/jsonld.js') as typeof JsonLd;

type Format = 'jsonld' | 'rdfxml' | 'turtle';
interface Statement {
  readonly subject: { readonly value: string };
  readonly predicate: { readonly value: string };
  readonly object: { readonly value: string };
}
const skos = 'http://www.w3.org/2004/02/skos/core#';

const turtle = (concepts: string): string =>
  `@prefix skos: <${skos}> . @prefix dct: <http://purl.org/dc/terms/> . @prefix owl: <http://www.w3.org/2002/07/owl#> . @prefix : <urn:x:> .
:scheme a skos:ConceptScheme ; skos:hasTopConcept :fleet .
${concepts}`;

/** A scheme of somebody else’s: in two languages, tied by broader here and by narrower there, without kinds. */
const foreign = turtle(`
:fleet a skos:Concept ; skos:notation "FLT" ; skos:prefLabel "Flotte"@de, "Fleet"@en ; skos:scopeNote "All craft."@en ; skos:topConceptOf :scheme .
:care a skos:Concept ; skos:notation "FLT.1" ; skos:prefLabel "Care of craft"@en ; skos:broader :fleet .
:log a skos:Concept ; skos:notation "FLT-01" ; skos:prefLabel "Engine logs"@en ; skos:broader :care ; skos:hiddenLabel "E/7" ; dct:created "1999-02-03" .
:fleet skos:narrower :crew .
:crew a skos:Concept ; skos:notation "FLT-02" ; skos:prefLabel "Crew lists"@en ; dct:spatial "North" ; owl:deprecated true .
:one a skos:Concept ; skos:notation "ADA" ; skos:prefLabel "Tug Ada"@en ; skos:broader :log .
`);

const rdfXml = `<?xml version="1.0"?>
<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#" xmlns:skos="${skos}">
  <skos:Concept rdf:about="urn:x:piers"><skos:notation>PRS</skos:notation><skos:prefLabel xml:lang="en">Piers &amp; quays</skos:prefLabel></skos:Concept>
  <skos:Concept rdf:about="urn:x:logs"><skos:notation>PRS-01</skos:notation><skos:prefLabel xml:lang="en">Pier logs</skos:prefLabel>
    <skos:broader rdf:resource="urn:x:piers"/></skos:Concept>
</rdf:RDF>`;

describe('a plan as a concept scheme', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.pool.query(`insert into jurisdiction (name) values ('North')`);
  });
  afterAll(() => world.stop());

  const load = (text: string, format: Format, dryRun = false): Promise<TableOutcome> =>
    world.as('keeper').call(plan.importPlan, { body: { format, data: Buffer.from(text).toString('base64'), dryRun } });
  const exported = async (format: string): Promise<string> => (await world.as('keeper').fetch(`/api/plan/export?format=${format}`)).text();
  const lines = async (): Promise<Record<string, string>[]> => JSON.parse(await exported('json')) as Record<string, string>[];
  const told = (outcome: TableOutcome): string[] => outcome.errors.map((e) => e.sentence);

  chapter('of somebody else comes in, in Turtle and in RDF/XML: levels by depth, labels in the language of most', async () => {
    const outcome = await load(foreign, 'turtle');
    expect([told(outcome), outcome.changes.length, outcome.rows]).toEqual([[], 5, 5]);
    const xml = await load(rdfXml, 'rdfxml');
    expect([told(xml), xml.changes.length]).toEqual([[], 2]);
    const found = (await lines()).filter((l) => /^(FLT|ADA|PRS)/.test(l['code']!));
    expect(found.map((l) => [l['code'], l['kind'], l['inside'], l['title']])).toEqual([
      ['FLT', 'function', '', 'Fleet'],
      ['FLT.1', 'activity', 'FLT', 'Care of craft'],
      ['FLT-01', 'series', 'FLT.1', 'Engine logs'],
      ['ADA', 'folder', 'FLT-01', 'Tug Ada'],
      ['FLT-02', 'series', 'FLT', 'Crew lists'],
      ['PRS', 'function', '', 'Piers & quays'],
      ['PRS-01', 'series', 'PRS', 'Pier logs'],
    ]);
    const log = found.find((l) => l['code'] === 'FLT-01')!;
    expect([log['opened on'], log['former codes']]).toEqual(['1999-02-03', 'E/7 until 2026-09-14']);
    const crew = found.find((l) => l['code'] === 'FLT-02')!;
    expect([crew['jurisdictions'], crew['retired on']]).toEqual(['North', '2026-09-14']);
    expect(found[0]!['belongs here']).toBe('All craft.');
  });

  chapter('goes out so that a library that is not ours reads a sound scheme of it', async () => {
    const document = JSON.parse(await exported('skos')) as JsonLd.JsonLdDocument;
    const statements = (await jsonld.toRDF(document)) as Statement[];
    const of = (predicate: string): Statement[] => statements.filter((s) => s.predicate.value === `${skos}${predicate}`);
    const concepts = statements.filter((s) => s.object.value === `${skos}Concept`).map((s) => s.subject.value);
    const all = (await lines()).filter((line) => line['kind'] !== 'repository');
    expect(concepts.length).toBe(all.length);
    // SKOS S14: one preferred label a language. Notations are unique in the scheme.
    for (const [predicate, unique] of [
      ['prefLabel', false],
      ['notation', true],
      ['inScheme', false],
    ] as const) {
      const own = of(predicate);
      expect(own.map((s) => s.subject.value).sort())
        .withContext(predicate)
        .toEqual([...concepts].sort());
      if (unique) expect(new Set(own.map((s) => s.object.value)).size).toBe(own.length);
    }
    const pairs = (list: Statement[], turned = false): string[] =>
      list.map(({ subject, object }) => (turned ? `${object.value} ${subject.value}` : `${subject.value} ${object.value}`)).sort();
    // SKOS S8, S9, S25: what is broader has it as narrower, and what is a top concept is one of the scheme.
    expect(pairs(of('narrower'), true)).toEqual(pairs(of('broader')));
    expect(pairs(of('hasTopConcept'), true)).toEqual(pairs(of('topConceptOf')));
    expect(new Set(of('topConceptOf').map((s) => s.subject.value)).size + of('broader').length).toBe(concepts.length);
    expect(of('scopeNote').map((s) => s.object.value)).toContain('All craft.');
    const spatial = statements.filter((s) => s.predicate.value === 'http://purl.org/dc/terms/spatial');
    expect(spatial.map((s) => s.object.value)).toEqual(['North']);
  });

  chapter('comes back as it went, and changes nothing then', async () => {
    const outcome = await load(await exported('skos'), 'jsonld');
    expect([told(outcome), outcome.changes]).toEqual([[], []]);
  });

  chapter('is refused with the concept and what is wrong with it', async () => {
    const tries: [string, string][] = [
      [':a a skos:Concept ; skos:prefLabel "A" .', 'A: has no notation'],
      [':a a skos:Concept ; skos:notation "A9", "A8" ; skos:prefLabel "A" .', 'A9: has several notations: A9 and A8'],
      [':a a skos:Concept ; skos:notation "A9" .', 'A9: is missing'],
      [
        ':a a skos:Concept ; skos:notation "A9" ; skos:prefLabel "A" . :b a skos:Concept ; skos:notation "A9" ; skos:prefLabel "B" .',
        'A9: has the same notation as A9',
      ],
      [
        ':a a skos:Concept ; skos:notation "A9" ; skos:prefLabel "A" ; skos:broader :b . :b a skos:Concept ; skos:notation "B9" ; skos:prefLabel "B" ; skos:broader :a .',
        'A9: is in itself, by way of others',
      ],
      [
        `:a a skos:Concept ; skos:notation "A9" ; skos:prefLabel "A" . :b a skos:Concept ; skos:notation "B9" ; skos:prefLabel "B" .
         :c a skos:Concept ; skos:notation "C9" ; skos:prefLabel "C" ; skos:broader :a, :b .`,
        'C9: is in 2 others; a place is in one',
      ],
      [':a a skos:Concept ; skos:notation "A9" ; skos:prefLabel "A" ; dct:spatial "West" .', 'there is no jurisdiction West'],
      [
        ':a a skos:Concept ; skos:notation "ä ö" ; skos:prefLabel "A" .',
        '“Ä Ö” may have capital letters, digits, hyphens, dots and slashes, at most 40',
      ],
    ];
    const before = await exported('json');
    for (const [text, sentence] of tries)
      expect(told(await load(turtle(text), 'turtle')))
        .withContext(sentence)
        .toContain(sentence);
    expect(await exported('json')).toBe(before);
  });

  chapter('that is none is told so, and nothing is fetched or unfolded for it', async () => {
    const refusal = (text: string, format: Format): Promise<string> =>
      load(text, format).then(
        () => 'taken',
        (error: Error) => error.message.replace(/^\d+ \S+ /, ''),
      );
    expect(await refusal('{', 'jsonld')).toMatch(/^This is not JSON-LD: /);
    expect(await refusal('<a></b>', 'rdfxml')).toMatch(/^This is not RDF\/XML: /);
    expect(await refusal('a b', 'turtle')).toMatch(/^This is not Turtle: /);
    expect(await refusal('[]', 'jsonld')).toBe('There is no concept in it.');
    expect(await refusal('{"@context":"http://127.0.0.1:1/context.jsonld","@id":"x"}', 'jsonld')).toBe(
      'It leans on http://127.0.0.1:1/context.jsonld. Nothing is fetched; put that into the file.',
    );
    const laughs = Array.from({ length: 12 }, (_, i) => `<!ENTITY e${i + 1} "${`&e${i};`.repeat(10)}">`).join('');
    const bomb = `<?xml version="1.0"?><!DOCTYPE r [<!ENTITY e0 "ha">${laughs}]>${rdfXml.slice(21).replace('Pier logs', '&e12;')}`;
    // Entities are unfolded once, and not in each other.
    expect(await refusal(bomb, 'rdfxml')).toBe('taken');
    expect((await lines()).find((l) => l['code'] === 'PRS-01')!['title']).toBe('&e11;'.repeat(10));
    const file = `<?xml version="1.0"?><!DOCTYPE r [<!ENTITY f SYSTEM "file:///etc/hostname">]>${rdfXml.slice(21).replace('Pier logs', '&f;')}`;
    expect(await refusal(file, 'rdfxml')).not.toBe('taken');
  });
});
