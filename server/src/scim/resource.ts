import * as z from 'zod';

/** A resource as JSON: attributes by their names. */
export type Resource = Readonly<Record<string, unknown>>;

export const schemas = {
  user: 'urn:ietf:params:scim:schemas:core:2.0:User',
  group: 'urn:ietf:params:scim:schemas:core:2.0:Group',
  list: 'urn:ietf:params:scim:api:messages:2.0:ListResponse',
  error: 'urn:ietf:params:scim:api:messages:2.0:Error',
  patch: 'urn:ietf:params:scim:api:messages:2.0:PatchOp',
} as const;

/** Why a request is refused: status and error keyword. Source: RFC 7644 §3.12. */
export class ScimError extends Error {
  constructor(
    readonly status: number,
    readonly scimType: string | null,
    detail: string,
  ) {
    super(detail);
  }
}

export const notThere = (): ScimError => new ScimError(404, null, 'There is no such resource.');

/** Attributes that are taken, and those of them that have several values. What else is sent is left alone (RFC 7644 §3.3). */
const known = ['schemas', 'id', 'externalId', 'userName', 'displayName', 'name', 'emails', 'active', 'members', 'meta', 'groups'] as const;
const knownInside = ['formatted', 'givenName', 'familyName', 'value', 'type', 'primary', 'display'] as const;
const several: ReadonlySet<string> = new Set(['emails', 'members']);
const canonical = new Map<string, string>([...known, ...knownInside].map((name) => [name.toLowerCase(), name]));

/** Names of attributes in the letters that they are written with: clients may use others (RFC 7643 §2.1). */
export const nameOf = (name: string): string => canonical.get(name.toLowerCase()) ?? name;

function named(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(named);
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(Object.entries(value).map(([name, inside]) => [nameOf(name), named(inside)]));
}

/** Some clients say “True”. */
const truth = z.preprocess(
  (value) => (typeof value === 'string' && /^(true|false)$/i.test(value) ? /^true$/i.test(value) : value),
  z.boolean(),
);
const text = (most: number) => z.string().trim().max(most);

const userIn = z.object({
  userName: text(60).regex(/^\S+$/),
  externalId: text(200).nullish(),
  displayName: text(200).nullish(),
  name: z.object({ formatted: text(200).nullish(), givenName: text(100).nullish(), familyName: text(100).nullish() }).nullish(),
  emails: z
    .array(z.object({ value: text(200), primary: truth.optional(), type: z.string().nullish() }))
    .max(20)
    .nullish(),
  active: truth.default(true),
});

const groupIn = z.object({
  displayName: text(80).min(1),
  externalId: text(200).nullish(),
  members: z
    .array(z.object({ value: z.uuid() }))
    .max(5000)
    .nullish(),
});

/** What a client says of a person, as this repository takes it. */
export interface UserIn {
  readonly login: string;
  readonly name: string;
  readonly email: string | null;
  readonly externalId: string | null;
  readonly active: boolean;
}

export interface GroupIn {
  readonly name: string;
  readonly externalId: string | null;
  readonly memberIds: readonly string[];
}

function parsed<S extends z.ZodType>(schema: S, resource: unknown): z.output<S> {
  const result = schema.safeParse(named(resource));
  if (result.success) return result.data;
  const [issue] = result.error.issues;
  throw new ScimError(400, 'invalidValue', `${issue!.path.join('.') || 'The resource'} is not what it has to be.`);
}

/** Reads a User. Throws {@link ScimError} for one that lacks what it needs. Source: RFC 7643 §4.1. */
export function userOf(resource: unknown): UserIn {
  const { userName, externalId, displayName, name, emails, active } = parsed(userIn, resource);
  const whole = [name?.givenName, name?.familyName].filter(Boolean).join(' ');
  const chosen = emails?.find((e) => e.primary) ?? emails?.find((e) => e.type === 'work') ?? emails?.[0];
  return {
    login: userName.toLowerCase(),
    name: displayName || name?.formatted || whole || userName,
    email: chosen?.value || null,
    externalId: externalId || null,
    active,
  };
}

/** Reads a Group. Source: RFC 7643 §4.2. */
export function groupOf(resource: unknown): GroupIn {
  const { displayName, externalId, members } = parsed(groupIn, resource);
  return { name: displayName, externalId: externalId || null, memberIds: [...new Set((members ?? []).map((m) => m.value.toLowerCase()))] };
}

/** A filter of the one form that directories use to look somebody up: attribute eq "value". Source: RFC 7644 §3.4.2.2. */
export function filterOf(
  filter: string | undefined,
  attributes: readonly string[],
): { readonly attribute: string; readonly value: string } | null {
  if (filter === undefined || filter.trim() === '') return null;
  const [, path, quoted] = /^\s*([A-Za-z.]+)\s+eq\s+("(?:[^"\\]|\\.)*")\s*$/i.exec(filter) ?? [];
  const attribute = attributes.find((one) => one.toLowerCase() === path?.toLowerCase());
  if (attribute === undefined)
    throw new ScimError(400, 'invalidFilter', `Filters are: ${attributes.map((a) => `${a} eq "…"`).join(', ')}.`);
  try {
    return { attribute, value: JSON.parse(quoted!) as string };
  } catch {
    throw new ScimError(400, 'invalidFilter', 'The value of the filter is no JSON string.');
  }
}

const operations = z
  .object({
    Operations: z
      .array(z.object({ op: z.string(), path: z.string().max(500).nullish(), value: z.unknown().optional() }))
      .min(1)
      .max(1000),
  })
  .loose();

interface Path {
  readonly attribute: string;
  /** Of several values those of which a part is so. */
  readonly where: { readonly part: string; readonly is: unknown } | null;
  readonly part: string | null;
}

/** “emails[type eq "work"].value”, “name.givenName”, “active”. Source: RFC 7644 §3.5.2, figure 7. */
function pathOf(path: string): Path {
  const bare = path.replace(/^urn:ietf:params:scim:schemas:core:2\.0:(User|Group):/i, '');
  const found = /^([A-Za-z$-]+)(?:\[\s*([A-Za-z]+)\s+eq\s+("(?:[^"\\]|\\.)*"|true|false)\s*\])?(?:\.([A-Za-z]+))?$/i.exec(bare);
  if (!found) {
    // An attribute of an extension that is not taken here.
    if (/^urn:/i.test(bare)) return { attribute: bare, where: null, part: null };
    throw new ScimError(400, 'invalidPath', `“${path.slice(0, 80)}” is no path.`);
  }
  const [, attribute, part, is, sub] = found;
  let value: unknown = null;
  try {
    value = is === undefined ? null : JSON.parse(/^(true|false)$/i.test(is) ? is.toLowerCase() : is);
  } catch {
    throw new ScimError(400, 'invalidPath', `“${path.slice(0, 80)}” is no path.`);
  }
  return {
    attribute: nameOf(attribute!),
    where: part === undefined ? null : { part: nameOf(part), is: value },
    part: sub === undefined ? null : nameOf(sub),
  };
}

type Element = Record<string, unknown>;
const elementsOf = (value: unknown): Element[] =>
  (Array.isArray(value) ? value : value === undefined || value === null ? [] : [value]).map((one) =>
    one !== null && typeof one === 'object' ? { ...(one as Element) } : { value: one as unknown },
  );

/** Whether two values of a part are the same; ids and addresses whatever letters they are written in. */
const same = (a: unknown, b: unknown): boolean => String(a).toLowerCase() === String(b).toLowerCase();

function changeSeveral(old: readonly Element[], op: 'add' | 'replace' | 'remove', { where, part }: Path, value: unknown): Element[] {
  if (where === null) {
    const given = elementsOf(value);
    if (op === 'replace') return given;
    if (op === 'remove') return given.length === 0 ? [] : old.filter((one) => !given.some((gone) => same(gone['value'], one['value'])));
    return [...old.filter((one) => !given.some((other) => same(other['value'], one['value']))), ...given];
  }
  const meant = (one: Element): boolean => same(one[where.part], where.is);
  if (op === 'remove')
    return part === null ? old.filter((one) => !meant(one)) : old.map((one) => (meant(one) ? { ...one, [part]: null } : one));
  const changed = (one: Element): Element => (part === null ? { ...one, ...elementsOf(value)[0] } : { ...one, [part]: value });
  // Directories replace the address of work also where there is none yet.
  return old.some(meant) ? old.map((one) => (meant(one) ? changed(one) : one)) : [...old, changed({ [where.part]: where.is })];
}

function changeOne(resource: Record<string, unknown>, op: 'add' | 'replace' | 'remove', path: Path, value: unknown): void {
  const { attribute, part } = path;
  if (several.has(attribute)) resource[attribute] = changeSeveral(elementsOf(resource[attribute]), op, path, value);
  else if (part !== null) resource[attribute] = { ...(resource[attribute] as object | undefined), [part]: op === 'remove' ? null : value };
  else resource[attribute] = op === 'remove' ? null : value;
}

/** A resource after a patch. Throws {@link ScimError} for what is no patch. Source: RFC 7644 §3.5.2. */
export function patched(resource: Resource, patch: unknown): Resource {
  const body = operations.safeParse(patch);
  if (!body.success) throw new ScimError(400, 'invalidSyntax', 'This is no PatchOp.');
  const after: Record<string, unknown> = { ...resource };
  for (const { op: said, path, value: sent } of body.data.Operations) {
    const op = (['add', 'replace', 'remove'] as const).find((one) => one === said.toLowerCase());
    if (!op) throw new ScimError(400, 'invalidSyntax', `“${said.slice(0, 20)}” is no operation.`);
    const value = named(sent);
    if (path) changeOne(after, op, pathOf(path), value);
    else if (op === 'remove') throw new ScimError(400, 'noTarget', 'What is to be removed is not said.');
    else if (value === null || typeof value !== 'object' || Array.isArray(value))
      throw new ScimError(400, 'invalidValue', 'Without a path the value is an object.');
    else for (const [name, inside] of Object.entries(value)) changeOne(after, op, pathOf(name), inside);
  }
  return after;
}
