import type { GroupLine, PersonLine } from '@key-cellar/contract';
import * as z from 'zod';
import { members, peopleActs, peopleLines, personById, personLine, requireLookingAfterPeople } from '../identity/index.js';
import { carryOut, withUnitOfWork, type Services, type SignedIn } from '../kernel/index.js';
import { filterOf, groupOf, notThere, patched, ScimError, schemas, userOf, type GroupIn, type Resource, type UserIn } from './resource.js';
import * as store from './store.js';

/** Who arranges people from elsewhere, and under which address resources are told. */
export interface Asking {
  readonly services: Services;
  readonly program: SignedIn;
  /** `https://…/scim/v2`. */
  readonly base: string;
}

interface Known {
  readonly people: ReadonlyMap<string, PersonLine>;
  readonly groups: ReadonlyMap<string, GroupLine>;
}

/** Throws 403 unless the program looks after people. */
const requireDesk = ({ services, program }: Asking): Promise<void> =>
  requireLookingAfterPeople(services, () => services.access.of(program));

/** Everybody, for those who look after people. Throws 403 for every other. */
async function known(asking: Asking): Promise<Known> {
  await requireDesk(asking);
  const { people, groups } = await peopleLines(asking.services.pool);
  return { people: new Map(people.map((p) => [p.id, p])), groups: new Map(groups.map((g) => [g.id, g])) };
}

interface Page {
  readonly filter?: string | undefined;
  readonly startIndex?: string | undefined;
  readonly count?: string | undefined;
}

const mostListed = 200;

/** Whether something is what a filter asks for: names in whatever letters, what a directory calls it letter by letter. */
function meets(filter: ReturnType<typeof filterOf>, values: Readonly<Record<string, string | null>>): boolean {
  if (!filter) return true;
  const is = values[filter.attribute] ?? null;
  return filter.attribute === 'externalId' ? is === filter.value : is?.toLowerCase() === filter.value.toLowerCase();
}

/** Resources from the first wanted on, with how many there are. Source: RFC 7644 §3.4.2.4. */
function listed(resources: readonly Resource[], { startIndex, count }: Page): Resource {
  const number = (text: string | undefined, otherwise: number): number => {
    const value = text === undefined ? otherwise : Number(text);
    if (!Number.isInteger(value)) throw new ScimError(400, 'invalidValue', 'startIndex and count are whole numbers.');
    return value;
  };
  const from = Math.max(1, number(startIndex, 1));
  const some = resources.slice(from - 1, from - 1 + Math.min(mostListed, Math.max(0, number(count, mostListed))));
  return { schemas: [schemas.list], totalResults: resources.length, startIndex: from, itemsPerPage: some.length, Resources: some };
}

/** A body as an act takes it; what a client says and the act does not take is the client’s to mend. */
function bodyFor<S extends z.ZodType>(schema: S, body: unknown): z.output<S> {
  const result = schema.safeParse(body);
  if (!result.success) throw new ScimError(400, 'invalidValue', `${result.error.issues[0]!.path.join('.')} is not what it has to be.`);
  return result.data;
}

type Said = Pick<store.ProvisionedRow, 'external_id' | 'taken_away'>;
const shown = ({ external_id: externalId, taken_away: takenAway }: Said) => ({ externalId, takenAway });

/** Keeps what a directory calls somebody, and whether it took them away; 409 where it calls another so. */
async function keep(
  { services, program }: Asking,
  subject: { readonly id: string; readonly kind: 'person' | 'group'; readonly name: string },
  was: Said,
  is: Said,
): Promise<void> {
  if (was.external_id === is.external_id && was.taken_away === is.taken_away) return;
  await withUnitOfWork(
    services.pool,
    program,
    async (uow) => {
      if (!(await store.writeProvisioned(uow, subject.id, is))) throw new ScimError(409, 'uniqueness', 'Another has this externalId.');
      uow.enter({ act: `changed a ${subject.kind}`, subject, before: shown(was), after: shown(is) });
    },
    'none',
  );
}

/** One kind of resource: how it is told, looked up and written. */
interface ResourceType {
  list(asking: Asking, page: Page): Promise<Resource>;
  one(asking: Asking, id: string): Promise<Resource>;
  create(asking: Asking, body: unknown): Promise<Resource>;
  replace(asking: Asking, id: string, body: unknown): Promise<Resource>;
  patch(asking: Asking, id: string, body: unknown): Promise<Resource>;
  remove(asking: Asking, id: string): Promise<void>;
}

const metaOf = (base: string, kind: 'User' | 'Group', { id, revision }: { readonly id: string; readonly revision: number }) => ({
  resourceType: kind,
  location: `${base}/${kind}s/${id}`,
  version: `W/"${revision}"`,
});

const userResource = (base: string, p: PersonLine, externalId: string | null): Resource => ({
  schemas: [schemas.user],
  id: p.id,
  ...(externalId === null ? {} : { externalId }),
  userName: p.login,
  displayName: p.name,
  name: { formatted: p.name },
  ...(p.email === null ? {} : { emails: [{ value: p.email, type: 'work', primary: true }] }),
  active: p.active,
  groups: p.groups.map((g) => ({ value: g.id, display: g.name, $ref: `${base}/Groups/${g.id}` })),
  meta: metaOf(base, 'User', p),
});

const groupResource = (base: string, g: GroupLine, externalId: string | null): Resource => ({
  schemas: [schemas.group],
  id: g.id,
  ...(externalId === null ? {} : { externalId }),
  displayName: g.name,
  members: g.members.map((m) => {
    const [type, path] = m.kind === 'group' ? ['Group', 'Groups'] : ['User', 'Users'];
    return { value: m.id, display: m.name, type, $ref: `${base}/${path}/${m.id}` };
  }),
  meta: metaOf(base, 'Group', g),
});

const isId = (id: string): boolean => z.uuid().safeParse(id).success;

async function there(asking: Asking, kind: 'person' | 'group', id: string): Promise<store.ProvisionedRow> {
  const row = isId(id) ? await store.provisionedOne(asking.services.pool, kind, id) : undefined;
  if (!row || row.taken_away) throw notThere();
  return row;
}

async function personOf(asking: Asking, id: string): Promise<{ readonly row: store.ProvisionedRow; readonly line: PersonLine }> {
  const { pool } = asking.services;
  await requireDesk(asking);
  const row = await there(asking, 'person', id);
  const [found, all] = [await personById(pool, id), await members(pool)];
  if (!found) throw notThere();
  return { row, line: personLine(found, all) };
}

/** Lets somebody be, with what is theirs, as a directory says it. */
async function writeUser(asking: Asking, id: string, user: UserIn): Promise<void> {
  const { services, program } = asking;
  const { row, line } = await personOf(asking, id);
  const { login, name, email, active } = user;
  if (login !== line.login && (await store.provisionedNamed(services.pool, 'person', login))) throw taken();
  if (!line.active && active) await carryOut(services, program, peopleActs.bringBack, { params: { id }, query: {}, body: {} });
  if (login !== line.login || name !== line.name || email !== line.email) {
    const { revision } = (await personOf(asking, id)).line;
    const kept = { clearance: line.clearance, groupIds: line.groups.map((g) => g.id), revision, dryRun: false };
    const body = bodyFor(peopleActs.change.endpoint.body, { name, login, email, ...kept });
    await carryOut(services, program, peopleActs.change, { params: { id }, query: {}, body });
  }
  await keep(asking, { id, kind: 'person', name }, row, { ...row, external_id: user.externalId });
  if (line.active && !active) await letGo(asking, id);
}

const letGo = ({ services, program }: Asking, id: string): Promise<unknown> =>
  carryOut(services, program, peopleActs.letGo, {
    params: { id },
    query: {},
    body: { reason: `${program.name} says so`, heirId: null, grantsToo: false },
  });

const taken = (): ScimError => new ScimError(409, 'uniqueness', 'There is one of that name already.');

/** People. Nobody is ever deleted: whoever a directory takes away is let go, and comes back when it makes them again. Source: RFC 7643 §4.1. */
export const users: ResourceType = {
  async list(asking, page) {
    const { people } = await known(asking);
    const filter = filterOf(page.filter, ['userName', 'externalId', 'id', 'emails.value', 'emails']);
    const rows = await store.provisioned(asking.services.pool, 'person');
    const resources = rows
      .filter((row) => !row.taken_away && people.has(row.id))
      .filter((row) => {
        const { id, login, email } = people.get(row.id)!;
        return meets(filter, { id, userName: login, externalId: row.external_id, emails: email, 'emails.value': email });
      })
      .sort((a, b) => (a.id < b.id ? -1 : 1))
      .map((row) => userResource(asking.base, people.get(row.id)!, row.external_id));
    return listed(resources, page);
  },

  async one(asking, id) {
    const { row, line } = await personOf(asking, id);
    return userResource(asking.base, line, row.external_id);
  },

  async create(asking, body) {
    const { services, program } = asking;
    const user = userOf(body);
    await requireDesk(asking);
    const before = await store.provisionedNamed(services.pool, 'person', user.login);
    if (before && !before.taken_away) throw taken();
    let id = before?.id;
    if (before) await keep(asking, { id: before.id, kind: 'person', name: user.name }, before, { ...before, taken_away: false });
    else {
      const { login, name, email } = user;
      const made = bodyFor(peopleActs.make.endpoint.body, {
        login,
        name,
        email,
        clearance: { level: 0, caveats: [] },
        groupIds: [],
        invite: false,
      });
      ({ id } = await carryOut(services, program, peopleActs.make, { params: {}, query: {}, body: made }));
    }
    await writeUser(asking, id!, user);
    return users.one(asking, id!);
  },

  async replace(asking, id, body) {
    await writeUser(asking, id, userOf(body));
    return users.one(asking, id);
  },

  async patch(asking, id, body) {
    return users.replace(asking, id, patched(await users.one(asking, id), body));
  },

  async remove(asking, id) {
    const { row, line } = await personOf(asking, id);
    if (line.active) await letGo(asking, id);
    await keep(asking, { id, kind: 'person', name: line.name }, row, { external_id: null, taken_away: true });
  },
};

async function groupThere(asking: Asking, id: string): Promise<{ readonly row: store.ProvisionedRow; readonly line: GroupLine }> {
  const { groups } = await known(asking);
  const row = await there(asking, 'group', id);
  return { row, line: groups.get(id)! };
}

async function writeGroup(asking: Asking, id: string, { name, memberIds, externalId }: GroupIn, active = true): Promise<void> {
  const { services, program } = asking;
  const { row, line } = await groupThere(asking, id);
  const was = line.members.map((m) => m.id);
  if (name !== line.name || active !== line.active || [...was].sort().join() !== [...memberIds].sort().join()) {
    const body = bodyFor(peopleActs.changeGroup.endpoint.body, {
      name,
      active,
      memberIds,
      revision: line.revision,
      dryRun: false,
    });
    await carryOut(services, program, peopleActs.changeGroup, { params: { id }, query: {}, body });
  }
  await keep(asking, { id, kind: 'group', name }, row, { ...row, external_id: externalId });
}

/** Groups. Which access one has is given here. Source: RFC 7643 §4.2. */
export const groups: ResourceType = {
  async list(asking, page) {
    const { groups: all } = await known(asking);
    const filter = filterOf(page.filter, ['displayName', 'externalId', 'id']);
    const rows = await store.provisioned(asking.services.pool, 'group');
    const resources = rows
      .filter((row) => !row.taken_away && all.get(row.id)?.active === true)
      .filter((row) => meets(filter, { id: row.id, displayName: all.get(row.id)!.name, externalId: row.external_id }))
      .sort((a, b) => (a.id < b.id ? -1 : 1))
      .map((row) => groupResource(asking.base, all.get(row.id)!, row.external_id));
    return listed(resources, page);
  },

  async one(asking, id) {
    const { row, line } = await groupThere(asking, id);
    return groupResource(asking.base, line, row.external_id);
  },

  async create(asking, body) {
    const { services, program } = asking;
    const group = groupOf(body);
    await requireDesk(asking);
    const before = await store.provisionedNamed(services.pool, 'group', group.name);
    if (before && !before.taken_away) throw taken();
    let id = before?.id;
    if (before) await keep(asking, { id: before.id, kind: 'group', name: group.name }, before, { ...before, taken_away: false });
    else {
      const made = bodyFor(peopleActs.makeGroup.endpoint.body, { name: group.name, memberIds: group.memberIds });
      ({ id } = await carryOut(services, program, peopleActs.makeGroup, { params: {}, query: {}, body: made }));
    }
    await writeGroup(asking, id!, group);
    return groups.one(asking, id!);
  },

  async replace(asking, id, body) {
    await writeGroup(asking, id, groupOf(body));
    return groups.one(asking, id);
  },

  async patch(asking, id, body) {
    return groups.replace(asking, id, patched(await groups.one(asking, id), body));
  },

  async remove(asking, id) {
    const { row, line } = await groupThere(asking, id);
    await writeGroup(asking, id, { name: line.name, memberIds: [], externalId: row.external_id }, false);
    await keep(asking, { id, kind: 'group', name: line.name }, row, { external_id: null, taken_away: true });
  },
};
