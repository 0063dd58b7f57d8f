import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { kit as kitOf, ruleDefinition, sectionNames, type Kit, type KitLine, type PackageOutcome, type Told } from '@key-cellar/contract';
import { message, type Language } from '@key-cellar/words';
import type { Services } from '../records/index.js';
import { Problem, speakerOf, type PersonAccess, type Several, type SignedIn } from '../kernel/index.js';
import { outgoing, type Bringing, type Wire } from './bringing.js';
import { takeIn } from './package.js';
import { pack, type PackageItems } from './packing.js';
import { sections } from './sections.js';

/** A kit in one language: what says something in each language says it in this one. */
function inOne(value: unknown, language: Language): unknown {
  if (Array.isArray(value)) return value.map((one) => inOne(one, language));
  if (typeof value !== 'object' || value === null) return value;
  if ('en' in value && language in value) return (value as Record<Language, unknown>)[language];
  return Object.fromEntries(Object.entries(value).map(([name, one]) => [name, inOne(one, language)]));
}

/** The kits that ship, in a language, by their codes. They are files beside the program, and one that is wrong is a fault of the program. */
export async function shippedKits(assetsDir: string, language: Language): Promise<Kit[]> {
  const folder = join(assetsDir, 'kits');
  const files = (await readdir(folder)).filter((name) => name.endsWith('.json')).sort();
  return Promise.all(files.map(async (name) => kitOf.parse(inOne(JSON.parse(await readFile(join(folder, name), 'utf8')), language))));
}

async function kitNamed(services: Services, code: string, language: Language): Promise<Kit> {
  const found = (await shippedKits(services.config.assetsDir, language)).find((one) => one.code === code);
  if (!found) throw new Problem(404, 'no-kit', message('exchange.noKit', { code }));
  return found;
}

export async function kitLines(services: Services, language: Language): Promise<KitLine[]> {
  return (await shippedKits(services.config.assetsDir, language)).map((one) => ({
    code: one.code,
    title: one.title,
    about: one.about,
    series: one.places.filter((place) => place.kind === 'series').length,
    rules: one.rules.length,
    recordTypes: one.recordTypes.length,
    groups: one.groups.length,
  }));
}

const group = (name: string): Wire => ({ refers: 'group', to: name });
const rule = (code: string): Wire => ({ refers: 'rule', to: code });
const place = (code: string): Wire => ({ refers: 'place', to: code });

/** A kit as the items of a package, published by the person who takes it in. */
function itemsOfKit(kit: Kit, language: Language, person: SignedIn): PackageItems {
  const speaker = speakerOf(language);
  const from = speaker.say(message('exchange.fromKit', { kit: kit.title }));
  const published = { publishedBy: { refers: 'person', to: person.login.toLowerCase() }, publishedAt: new Date().toISOString() };
  const grants = (given: Kit['grants'] = []): Wire[] =>
    given.map((one) => ({ principal: group(one.group), profile: one.profile, from: null, until: null, reason: from, stencil: null }));
  return {
    eventTypes: kit.eventTypes.map((name) => ({ name })),
    profiles: kit.profiles.map((one) => ({ ...one, active: true })),
    groups: kit.groups.map(({ name, members }) => ({ name, active: true, members: members.map(group) })),
    recordTypes: kit.recordTypes.map(({ code, title, facts }) => ({
      code,
      retiredOn: null,
      versions: [{ title, facts, ...published }],
    })),
    rules: kit.rules.map(({ code, ...definition }) => ({
      code,
      draft: null,
      withdrawals: [],
      versions: [
        {
          definition: ruleDefinition.parse({ authority: speaker.say(message('exchange.kitAuthority')), jurisdictions: [], ...definition }),
          inForceFrom: person.today,
          takesOver: 'all',
          ...published,
        },
      ],
    })),
    places: [
      { path: '', kind: 'repository', inside: null, grants: grants(kit.grants) },
      ...kit.places.map((one): Wire => {
        const { code, kind, title, inside = '', rules = [], declareOn = null, standAlone = false } = one;
        return {
          ...sections.places.blank!(person.today),
          ...{ path: code, kind, inside: place(inside), code, title, rules: rules.map(rule), declareOn, standAlone },
          grants: grants(one.grants),
        };
      }),
    ],
  };
}

/** Whom a grant is given to, and as what. */
const givenTo = (grant: Wire): string => JSON.stringify([grant['principal'], grant['profile']]);

/** What of a kit is not here yet. What is here stays, and is told; the repository itself only gets more grants. */
async function missingOf(b: Bringing, items: PackageItems): Promise<PackageItems> {
  const missing: Partial<Record<(typeof sectionNames)[number], readonly Wire[]>> = {};
  for (const name of sectionNames) {
    const section = sections[name];
    const here = new Map((await outgoing(b.uow, section, b.names)).map((one) => [section.nameOf(one.wire), one.wire]));
    missing[name] = (items[name] ?? []).flatMap((wire) => {
      const there = here.get(section.nameOf(wire));
      if (!there) return [wire];
      if (wire['kind'] === 'repository') {
        const given = there['grants'] as readonly Wire[];
        const known = new Set(given.map(givenTo));
        const more = (wire['grants'] as readonly Wire[]).filter((grant) => !known.has(givenTo(grant)));
        return [{ path: '', kind: 'repository', inside: null, grants: [...given, ...more] }];
      }
      const called = String(section.reference(wire)?.to ?? wire['title'] ?? wire['name'] ?? wire['code']);
      b.changes.push({
        section: name,
        name: called,
        row: undefined,
        field: null,
        sentence: message('exchange.isHere'),
        what: 'kept',
      });
      return [];
    });
  }
  return missing;
}

/** Takes in a kit: all of it that is not here yet. Nothing that is here changes, so that a kit may come to a repository that is at work. */
export async function importKit(
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  work: Several,
  input: { readonly code: string; readonly language: Language; readonly dryRun: boolean },
): Promise<Told<PackageOutcome>> {
  const kit = itemsOfKit(await kitNamed(services, input.code, input.language), input.language, person);
  return takeIn(services, person, access, work, {
    act: 'took in a kit',
    conflicts: 'refuse',
    dryRun: input.dryRun,
    common: () => Promise.resolve(() => 'theirs'),
    coming: (b) => missingOf(b, kit),
  });
}

/**
 * A kit as a package, which may be changed by hand and taken in. What it gives on the whole repository is not in it: a package says all who are
 * given something on a place, and would take from the one who takes it in.
 */
export async function kitPackage(
  services: Services,
  person: SignedIn,
  input: { readonly code: string; readonly language: Language },
): Promise<{ bytes: Buffer; type: string; name: string }> {
  const kit = await kitNamed(services, input.code, input.language);
  const items = itemsOfKit(kit, input.language, person);
  const places = items.places!.filter((one) => one['kind'] !== 'repository');
  return { bytes: await pack({ ...items, places }), type: 'application/zip', name: `${kit.code}.zip` };
}
