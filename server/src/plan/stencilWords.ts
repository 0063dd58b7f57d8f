import { profileWords, type Profiles } from '@key-cellar/core/access';
import {
  foldersOf,
  type BroughtPart,
  type PlacedGrant,
  type StencilDefinition,
  type StencilFolder,
  type StencilGrant,
} from '@key-cellar/core/plan';
import { idsIn, pointsElsewhere, valuesOf, type FactDefinition, type Facts } from '@key-cellar/core/records';
import { message, type Message, type Value } from '@key-cellar/words';
import { loadProfiles } from '../access/index.js';
import { namesOf, recordTypes } from '../facts/index.js';
import type { Db, PersonAccess } from '../kernel/index.js';
import { factsOfAllTypes } from './changes.js';
import * as stencils from './stencilStore.js';

/** What the things are called that stencils name by id or code. */
export interface PartNames {
  readonly of: ReadonlyMap<string, string>;
  readonly types: ReadonlyMap<string, string>;
  readonly facts: ReadonlyMap<string, FactDefinition>;
  readonly roles: ReadonlyMap<string, string>;
  readonly profiles: Profiles;
}

/** Names for all that some definitions say, and for other ids; what a person may not know of has none. */
export async function partNames(
  db: Db,
  access: PersonAccess,
  definitions: readonly StencilDefinition[],
  others: readonly string[] = [],
): Promise<PartNames> {
  const folders = definitions.flatMap((d) => foldersOf(d.root).map((f) => f.folder));
  const ids = [
    ...others,
    ...folders.flatMap((f) => [...f.rules, ...(f.numbering ? [f.numbering] : []), ...f.grants.flatMap((g) => g.principalId ?? [])]),
  ];
  const named = await stencils.namesOfParts(db, [...new Set(ids)]);
  const entities = await namesOf(db, access, idsIn(...folders.map((f) => f.facts)));
  return {
    of: new Map([...named.map((n) => [n.id, n.name] as const), ...Object.entries(entities)]),
    types: new Map((await recordTypes(db)).map((t) => [t.code, t.title])),
    facts: new Map((await factsOfAllTypes(db)).map((f) => [f.code, f])),
    profiles: await loadProfiles(db),
    roles: new Map(definitions.flatMap((d) => d.roles.map((r) => [r.code, r.title] as const))),
  };
}

const nothing = message('plan.value.nothing');
const textOf = (text: string): Message => (text === '' ? nothing : message('plan.value.text', { text }));
const listOf = (values: readonly Value[]): Message =>
  values.length === 0 ? nothing : message('plan.value.text', { text: { list: values } });

/** What a folder says of one thing, for people to read. */
export function partWords(
  names: PartNames,
  part: BroughtPart,
  folder: Omit<StencilFolder, 'key' | 'inside' | 'grants'> & { readonly grants: readonly (StencilGrant | PlacedGrant)[] },
): Message {
  const nameOf = (id: string): Value => names.of.get(id) ?? message('plan.value.unknown');
  switch (part) {
    case 'code':
    case 'title':
    case 'note':
    case 'message':
      return textOf(folder[part]);
    case 'standAlone':
      return message(folder.standAlone ? 'plan.value.standsAlone' : 'plan.value.fromAround');
    case 'marking':
      return folder.marking
        ? message('plan.value.marking', {
            level: folder.marking.level,
            n: folder.marking.caveats.length,
            caveats: { list: folder.marking.caveats },
          })
        : nothing;
    case 'numbering':
      return folder.numbering === null ? message('plan.value.asAround') : listOf([nameOf(folder.numbering)]);
    case 'types':
      return folder.types === null ? message('plan.value.asAround') : listOf(folder.types.map((code) => names.types.get(code) ?? code));
    case 'formats':
      return folder.formats === null ? message('plan.value.asAround') : listOf([...folder.formats]);
    case 'largest':
      return folder.largest === null ? message('plan.value.asAround') : message('plan.value.text', { text: { bytes: folder.largest } });
    case 'facts':
      return listOf(factWords(names, folder.facts));
    case 'grants':
      return listOf(folder.grants.map((grant) => grantWords(names, grant)));
    case 'rules':
      return listOf(folder.rules.map(nameOf));
    case 'jurisdictions':
      return folder.jurisdictions.length === 0 ? message('plan.value.asAround') : listOf([...folder.jurisdictions]);
    case 'readyTitles':
      return listOf(folder.readyTitles.map((t) => t.text));
  }
}

const factWords = (names: PartNames, facts: Facts): Message[] =>
  Object.entries(facts).map(([code, value]) => {
    const fact = names.facts.get(code);
    const values: Value[] = valuesOf(value).map((v) =>
      fact && pointsElsewhere(fact.kind) ? (names.of.get(String(v)) ?? message('plan.value.unknown')) : String(v),
    );
    return message('plan.value.fact', { fact: fact?.title ?? code, values: { list: values } });
  });

function grantWords(names: PartNames, grant: StencilGrant | PlacedGrant): Message {
  const role = 'role' in grant ? grant.role : null;
  const who: Value =
    role === null ? (names.of.get(grant.principalId ?? '') ?? message('plan.value.unknown')) : (names.roles.get(role) ?? role);
  const profile = names.profiles.get(grant.profile);
  const as: Value = profile ? profileWords(profile) : grant.profile;
  const { from, until } = grant;
  if (from !== null && until !== null) return message('plan.value.grantBetween', { who, as, from: { day: from }, until: { day: until } });
  if (from !== null) return message('plan.value.grantFrom', { who, as, from: { day: from } });
  if (until !== null) return message('plan.value.grantUntil', { who, as, until: { day: until } });
  return message('plan.value.grant', { who, as });
}
