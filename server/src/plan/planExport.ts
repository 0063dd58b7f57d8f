import { message } from '@key-cellar/words';
import type { Speaker } from '@key-cellar/words/speaker';
import type { SignedIn } from '../kernel/index.js';
import { document } from '../print/index.js';
import type { Services } from '../kernel/index.js';
import { planOf } from './planOf.js';
import * as codeStore from './codeStore.js';

export interface PlanFile {
  readonly bytes: Buffer;
  readonly type: string;
  readonly name: string;
}

/** The plan as a concept scheme of SKOS (W3C Recommendation, 2009) in JSON-LD 1.1. */
async function asSkos(services: Services, person: SignedIn): Promise<Buffer> {
  const { places } = await planOf(services, person);
  const former = new Map<string, string[]>();
  for (const f of await codeStore.allFormerCodes(services.pool)) former.set(f.place_id, [...(former.get(f.place_id) ?? []), f.code]);
  const shown = new Set(places.map((p) => p.id));
  const root = places.find((p) => p.kind === 'repository');
  const iri = (id: string): string => `urn:uuid:${id}`;
  const children = new Map<string, string[]>();
  for (const p of places) if (p.parent_id) children.set(p.parent_id, [...(children.get(p.parent_id) ?? []), iri(p.id)]);
  const english = (text: string): { '@value': string; '@language': string } => ({ '@value': text, '@language': 'en' });
  const scheme = root ? iri(root.id) : 'urn:key-cellar:plan';
  const concepts = places
    .filter((p) => p.kind !== 'repository')
    .map((p) => ({
      '@id': iri(p.id),
      '@type': 'skos:Concept',
      'skos:notation': p.code,
      'skos:prefLabel': english(p.title),
      'skos:inScheme': { '@id': scheme },
      ...(p.parent_id && p.parent_id !== root?.id && shown.has(p.parent_id)
        ? { 'skos:broader': { '@id': iri(p.parent_id) } }
        : { 'skos:topConceptOf': { '@id': scheme } }),
      ...(children.has(p.id) ? { 'skos:narrower': children.get(p.id)!.map((id) => ({ '@id': id })) } : {}),
      ...(p.note ? { 'skos:scopeNote': english(p.note) } : {}),
      ...(p.not_here ? { 'skos:note': english(`Not here: ${p.not_here}`) } : {}),
      ...(former.has(p.id) ? { 'skos:hiddenLabel': former.get(p.id) } : {}),
      'dcterms:type': p.kind,
      'dcterms:created': { '@value': p.opened_on, '@type': 'xsd:date' },
      ...(p.retired_on ? { 'owl:deprecated': true } : {}),
    }));
  const graph = {
    '@context': {
      skos: 'http://www.w3.org/2004/02/skos/core#',
      dcterms: 'http://purl.org/dc/terms/',
      owl: 'http://www.w3.org/2002/07/owl#',
      xsd: 'http://www.w3.org/2001/XMLSchema#',
    },
    '@graph': [{ '@id': scheme, '@type': 'skos:ConceptScheme', 'dcterms:title': english(person.repository) }, ...concepts],
  };
  return Buffer.from(`${JSON.stringify(graph, null, 2)}\n`);
}

const inset: Record<string, number> = { function: 0, activity: 12, series: 24, folder: 40 };

async function toPrint(services: Services, person: SignedIn, speaker: Speaker): Promise<Buffer> {
  const { places, rules } = await planOf(services, person);
  const { repository } = person;
  const on = { day: person.today };
  const { say } = speaker;
  const about = {
    title: say(message('print.planOf', { repository })),
    author: repository,
    foot: say(message('print.planOn', { on })),
    fontsDir: services.config.fontsDir,
    speaker,
  };
  return document(about, ({ write, rule, space }) => {
    write(repository, { soft: true });
    write(say(message('print.plan')), { bold: true, size: 20, gap: 8 });
    write(say(message('print.asItStood', { on, n: places.filter((p) => p.kind === 'series').length })), { size: 11, gap: 6 });
    for (const p of places) {
      if (p.kind === 'repository') continue;
      const indent = inset[p.kind]! + (p.kind === 'folder' ? Math.max(0, p.ancestors.length - 5) * 12 : 0);
      if (p.kind === 'function') rule();
      const set = rules.get(p.id) ?? [];
      const heading = `${p.code}  ${p.title}`;
      const ended = p.retired_on ?? p.closed_on;
      write(ended ? say(message('print.ended', { heading, how: p.retired_on ? 'retired' : 'closed', on: { day: ended } })) : heading, {
        bold: p.kind !== 'folder',
        size: p.kind === 'function' ? 13 : p.kind === 'folder' ? 9 : 10,
        indent,
        gap: 3,
      });
      const more = { size: 9, indent: indent + 12, gap: 3 };
      if (set.length > 0) write(say(message('print.rules', { rules: { list: set } })), { ...more, soft: true });
      if (p.note) write(p.note, more);
      if (p.not_here) write(say(message('print.notHere', { what: p.not_here })), more);
      if (p.kind === 'series') space(2);
    }
  });
}

/** The plan as a concept scheme, or to print: what the person may discover of it. */
export async function planDocument(services: Services, person: SignedIn, speaker: Speaker, format: 'skos' | 'pdf'): Promise<PlanFile> {
  return format === 'skos'
    ? { bytes: await asSkos(services, person), type: 'application/ld+json', name: 'plan.jsonld' }
    : { bytes: await toPrint(services, person, speaker), type: 'application/pdf', name: 'file-plan.pdf' };
}
