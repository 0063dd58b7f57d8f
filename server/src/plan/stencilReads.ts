import { message } from '@key-cellar/words';
import type { StencilBody, StencilLine, StencilPage, stencils as contract, StencilUse, Told, VersionsApart } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { compareVersions, foldersOf, type StencilDefinition, type StencilFolder, kindWords } from '@key-cellar/core/plan';
import type { FactDefinition, FactValue } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import {
  notAllowed,
  notFound,
  Problem,
  requireAtRepository,
  wrongField,
  type PersonAccess,
  type ReadsOf,
  type Services,
  type SignedIn,
} from '../kernel/index.js';
import { readTable, type TableFormat } from '../tables/index.js';
import { factsOfAllTypes } from './changes.js';
import { openPlace } from './places.js';
import { partNames, partWords } from './stencilWords.js';
import * as stencils from './stencilStore.js';
import * as placeStore from './placeStore.js';

/** Whoever may make folders somewhere may look at the shelf. */
async function requireReader(services: Services, person: SignedIn): Promise<PersonAccess> {
  const access = await services.access.of(person);
  if (!hasRight(access.anywhere, 'edit') && !hasRight(access.anywhere, 'dispose')) throw notAllowed('edit');
  return access;
}

function toLine(s: stencils.StencilRow, made: readonly stencils.MadeRow[]): StencilLine {
  const own = made.filter((m) => m.stencil_id === s.id);
  return {
    id: s.id,
    subject: s.subject,
    title: s.title,
    note: s.note,
    version: s.version,
    folders: foldersOf(s.definition.root).length,
    uses: own.length,
    behind: own.filter((m) => m.stencil_version < s.version).length,
    retiredOn: s.retired_on,
  };
}

async function listStencils(services: Services, person: SignedIn): Promise<StencilLine[]> {
  const access = await requireReader(services, person);
  const [found, made] = await Promise.all([stencils.stencils(services.pool), stencils.made(services.pool, null, access.sets('discover'))]);
  return found.map((s) => toLine(s, made));
}

async function stencilPage(services: Services, person: SignedIn, id: string): Promise<StencilPage> {
  const access = await requireReader(services, person);
  const found = await stencils.stencilById(services.pool, id);
  if (!found) throw notFound(message('thing.stencil'));
  const [versions, made] = await Promise.all([
    stencils.stencilVersions(services.pool, id),
    stencils.made(services.pool, id, access.sets('discover')),
  ]);
  return {
    ...toLine(found, made),
    revision: found.revision,
    definition: found.definition as StencilPage['definition'],
    versions: versions.map((v) => ({
      version: v.version,
      madeBy: v.made_by,
      madeAt: v.made_at.toISOString(),
      folders: foldersOf(v.definition.root).length,
    })),
    made: made.map((m) => ({
      placeId: m.id,
      code: m.code,
      title: m.title,
      inside: m.inside,
      version: m.stencil_version,
      records: m.records,
    })),
  };
}

/** A stencil that folders may be made from. */
export function requireInUse(found: stencils.StencilRow): void {
  if (found.retired_on !== null) {
    throw new Problem(409, 'retired', message('plan.retired', { title: found.title }));
  }
}

/** What a stencil of an existing folder would say: the folder with all that lies in it, without its records. */
async function fromFolder(
  services: Services,
  person: SignedIn,
  placeId: string,
): Promise<{ title: string; definition: StencilDefinition }> {
  await requireAtRepository(services.pool, await services.access.of(person), 'dispose', message('plan.keepersMakeStencils'));
  const { place } = await openPlace(services, person, placeId);
  if (place.kind !== 'folder')
    throw wrongField('/placeId', message('plan.stencilMadeFolder', { code: place.code, kind: kindWords(place.kind) }));
  const describe = async (folder: placeStore.PlaceRow): Promise<StencilFolder> => {
    const children = (await placeStore.childrenOf(services.pool, folder.id)).filter((c) => c.retired_on === null);
    const inside: StencilFolder[] = [];
    for (const child of children) inside.push(await describe(child));
    const state = await stencils.stateOf(services.pool, folder.id);
    const grants = state.grants.map((grant) => ({ role: null, ...grant }));
    return { ...state, grants, key: uuidv7(), inside };
  };
  return { title: place.title, definition: { asks: [], roles: [], root: await describe(place) } };
}

/** Reads uses from a table: `code`, `title`, and a column for each fact that is asked, by its code or its name. */
async function readUses(
  services: Services,
  person: SignedIn,
  id: string,
  file: { bytes: Buffer; format: TableFormat },
): Promise<{ uses: StencilUse[]; readAs: string | null }> {
  await requireReader(services, person);
  const stencil = await stencils.stencilById(services.pool, id);
  if (!stencil) throw notFound(message('thing.stencil'));
  requireInUse(stencil);
  const definitions = new Map((await factsOfAllTypes(services.pool)).map((f) => [f.code, f]));
  const asked = stencil.definition.asks.flatMap((code) => definitions.get(code) ?? []);
  const table = await readTable(services, file.bytes, file.format, { required: [], known: null });
  const columnOf = (d: { code: string; title: string }): string | undefined =>
    table.columns.find((c) => c === d.code.toLowerCase() || c === d.title.toLowerCase());
  const { roles } = stencil.definition;
  const named = [...asked, ...roles];
  const unknown = table.columns.filter((c) => c !== 'code' && c !== 'title' && !named.some((d) => columnOf(d) === c));
  if (unknown.length > 0) {
    throw new Problem(
      422,
      'wrong-columns',
      message('plan.wrongColumns', { unknown: { all: unknown }, columns: { any: ['code', 'title', ...named.map((d) => d.code)] } }),
    );
  }
  const uses = table.rows.map(({ values }) => ({
    code: values['code'] ?? '',
    title: values['title'] ?? '',
    facts: Object.fromEntries(
      asked.flatMap((d) => {
        const text = values[columnOf(d) ?? ''] ?? '';
        return text === '' ? [] : [[d.code, valueFrom(d, text)]];
      }),
    ) as StencilUse['facts'],
    roles: Object.fromEntries(
      roles.flatMap((role) => {
        const name = values[columnOf(role) ?? ''] ?? '';
        return name === '' ? [] : [[role.code, name]];
      }),
    ),
  }));
  return { uses, readAs: table.encoding };
}

/** A cell of a table as a value of its kind; what cannot be read stays as it is, and is refused with a sentence. */
function valueFrom(d: FactDefinition, text: string): FactValue {
  const one = (part: string): string | number => {
    const n = Number(part.replace(',', '.'));
    return ['whole', 'decimal', 'money'].includes(d.kind) && part !== '' && Number.isFinite(n) ? n : part;
  };
  if (d.kind === 'yesNo') return /^(yes|true|1)$/i.test(text) ? true : /^(no|false|0)$/i.test(text) ? false : text;
  return d.many ? text.split(';').map((part) => one(part.trim())) : one(text);
}

/** What two versions say otherwise, folder by folder. */
async function compare(services: Services, person: SignedIn, id: string, from: number, to: number): Promise<Told<VersionsApart>> {
  const access = await requireReader(services, person);
  const versions = await stencils.stencilVersions(services.pool, id);
  const [older, newer] = [from, to].map((version) => versions.find((v) => v.version === version)?.definition);
  if (!older || !newer) throw notFound(message('thing.stencil'));
  const names = await partNames(services.pool, access, [older, newer]);
  return {
    differences: compareVersions(older, newer).map(({ what, before, after, parts }) => {
      const { code, title } = (after ?? before)!;
      return {
        code,
        title,
        what: message(`plan.difference.${what}`),
        parts: parts.map((part) => ({
          what: message(`plan.part.${part}`),
          before: before && partWords(names, part, before),
          after: after && partWords(names, part, after),
        })),
      };
    }),
  };
}

export const stencilReads: ReadsOf<typeof contract, Services> = {
  list: async ({ services, person }) => ({ stencils: await listStencils(services, person) }),
  stencil: ({ services, person, params }) => stencilPage(services, person, params.id),
  compare: ({ services, person, params, query }) => compare(services, person, params.id, query.from, query.to),
  fromFolder: async ({ services, person, body }) => {
    const { title, definition } = await fromFolder(services, person, body.placeId);
    return { title, definition: definition as StencilBody };
  },
  readUses: ({ services, person, params, body }) =>
    readUses(services, person, params.id, { bytes: Buffer.from(body.data, 'base64'), format: body.format }),
};
