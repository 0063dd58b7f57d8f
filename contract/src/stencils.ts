import * as z from 'zod';
import { facts } from './records.js';
import {
  dateShift,
  dateText,
  encodingGuessed,
  get,
  id,
  idParam,
  largestTable,
  outcomeLine,
  post,
  put,
  revision,
  tableFormat,
  ask,
  withTable,
  withMany,
  sentence,
} from './shared.js';
import { takes } from './setup.js';
import { text, prose, line } from './text.js';

export const readyTitle = z.object({
  text: text(200).trim(),
  date: z.enum(['none', 'before', 'after']),
  recordType: text(60).nullable(),
});

const roleCode = z.string().regex(/^[a-z0-9-]{1,40}$/);
/** Persons or groups by the code of the role; in a use they may be given by name. */
const roles = z.record(roleCode, text(120));

/** Folders lie in one another; what is wrong deeper than the core allows, the core says. */
interface FolderShape {
  key: string;
  code: string;
  title: string;
  note: string;
  message: string;
  grants: { principalId: string | null; role: string | null; profile: string; from: string | null; until: string | null }[];
  rules: string[];
  jurisdictions: string[];
  numbering: string | null;
  standAlone: boolean;
  types: readonly string[] | null;
  formats: readonly string[] | null;
  largest: number | null;
  marking: { level: number; caveats: string[] } | null;
  facts: z.infer<typeof facts>;
  readyTitles: z.infer<typeof readyTitle>[];
  inside: FolderShape[];
}
const folder: z.ZodType<FolderShape> = z.lazy(() =>
  z.object({
    key: z.string().regex(/^[a-z0-9-]{1,40}$/),
    code: text(80).trim(),
    title: text(200).trim(),
    note: prose(4000).trim(),
    message: prose(1000).trim(),
    grants: z
      .array(
        z.object({
          /** A person or group; null where it goes to whoever has the role. */
          principalId: id.nullable(),
          role: roleCode.nullable(),
          profile: text(40),
          from: dateText.nullable(),
          until: dateText.nullable(),
        }),
      )
      .max(50),
    rules: z.array(id).max(20),
    jurisdictions: z.array(text(80)).max(50),
    numbering: id.nullable(),
    standAlone: z.boolean(),
    types: takes.shape.types,
    formats: takes.shape.formats,
    largest: takes.shape.largest,
    marking: z.object({ level: z.number().int().min(0).max(9), caveats: z.array(text(40)).max(20) }).nullable(),
    facts,
    readyTitles: z.array(readyTitle).max(50),
    inside: z.array(folder).max(100),
  }),
);
export const definition = z.object({
  asks: z.array(text(40)).max(30),
  /** Who has a part in each use, such as the owner of a case. */
  roles: z.array(z.object({ code: roleCode, title: line(80) })).max(20),
  root: folder,
});
export type StencilBody = z.infer<typeof definition>;

const stencilLine = z.object({
  id,
  subject: z.string(),
  title: z.string(),
  note: z.string(),
  version: z.number().int(),
  /** How many folders one use makes. */
  folders: z.number().int(),
  /** Outermost folders that were made from it and still stand, among those the person may discover. */
  uses: z.number().int(),
  /** How many of them have an older version. */
  behind: z.number().int(),
  retiredOn: dateText.nullable(),
});
export type StencilLine = z.infer<typeof stencilLine>;

const stencilPage = stencilLine.extend({
  revision,
  definition,
  versions: z.array(z.object({ version: z.number().int(), madeBy: z.string(), madeAt: z.string(), folders: z.number().int() })),
  made: z.array(
    z.object({
      placeId: id,
      code: z.string(),
      title: z.string(),
      inside: z.string(),
      version: z.number().int(),
      records: z.number().int(),
    }),
  ),
});
export type StencilPage = z.infer<typeof stencilPage>;

const head = { subject: line(80), title: line(120), note: prose(4000).trim().default('') };

/** One use: what it says. Facts that point at parties, objects or people may be given by their names. */
const use = z.object({
  title: text(200).trim().default(''),
  code: text(40).default(''),
  facts: facts.default({}),
  roles: roles.default({}),
});
export type StencilUse = z.infer<typeof use>;

const useLine = outcomeLine.extend({
  line: z.number().int(),
  /** What it makes, or would make. */
  code: z.string(),
  title: z.string(),
  folders: z.array(z.string()),
  placeId: id.nullable(),
});
export type UseLine = z.infer<typeof useLine>;

/** One thing that a folder says: before and after. Null where there is nothing to compare, as for a new folder. */
const partChange = { what: sentence, before: sentence.nullable(), after: sentence.nullable() };

const versionsApart = z.object({
  differences: z.array(z.object({ code: z.string(), title: z.string(), what: sentence, parts: z.array(z.object(partChange)) })),
});
export type VersionsApart = z.infer<typeof versionsApart>;

const broughtLine = z.object({
  placeId: id,
  name: z.string(),
  /** What changes there, from what to what, and what stays because people changed it or because it cannot be. */
  changes: z.array(z.object({ code: z.string(), ...partChange })),
  kept: z.array(sentence),
  /** Rules that come to folders of it or leave them, for the effect on due dates. */
  rules: z.array(z.object({ placeId: id, ruleId: id, set: z.boolean() })),
  /** Of a trial: how due dates move, whatever of it moves them. */
  dates: dateShift.nullable(),
  outcome: z.enum(['done', 'refused', 'skipped']),
  why: sentence,
});
export type BroughtLine = z.infer<typeof broughtLine>;

export const stencils = {
  list: get('/stencils', 'The shelf of stencils', { response: z.object({ stencils: z.array(stencilLine) }) }),
  stencil: get('/stencils/{id}', 'One stencil with its versions and the folders made from it', { params: idParam, response: stencilPage }),
  compare: get('/stencils/{id}/compare', 'Two versions of a stencil side by side', {
    params: idParam,
    query: z.object({ from: z.coerce.number().int().positive(), to: z.coerce.number().int().positive() }),
    response: versionsApart,
  }),
  make: post('/stencils', 'Make a stencil', { body: z.object({ ...head, definition }), response: z.object({ id }) }, withMany),
  fromFolder: ask('/stencils/from-folder', 'What a stencil of an existing folder would say', {
    body: z.object({ placeId: id }),
    response: z.object({ title: z.string(), definition }),
  }),
  change: put(
    '/stencils/{id}',
    'Change a stencil; another definition is another version',
    {
      params: idParam,
      body: z.object({ ...head, revision, retired: z.boolean().default(false), definition }),
      response: z.object({ revision, version: z.number().int() }),
    },
    withMany,
  ),
  readUses: ask(
    '/stencils/{id}/uses',
    'Read uses of a stencil from a table: code, title and a column for each fact',
    {
      params: idParam,
      body: z.object({ format: tableFormat, data: z.base64().max(largestTable) }),
      response: z.object({ uses: z.array(use), readAs: encodingGuessed }),
    },
    withTable,
  ),
  apply: post(
    '/stencils/{id}/apply',
    'Make folders from a stencil in a place, one a use; tried first with dryRun',
    {
      params: idParam,
      body: z.object({ placeId: id, uses: z.array(use).min(1).max(2000), dryRun: z.boolean().default(true) }),
      response: z.object({ results: z.array(useLine) }),
    },
    withMany,
  ),
  applyTo: post('/stencils/{id}/apply-to', 'Put what a stencil says into folders that are there; tried first with dryRun', {
    params: idParam,
    body: z.object({ placeIds: z.array(id).min(1).max(2000), roles: roles.default({}), dryRun: z.boolean().default(true) }),
    response: z.object({ results: z.array(broughtLine) }),
  }),
  nameRoles: put(
    '/places/{id}/roles',
    'Say who has which role in a use of a stencil; access that roles give goes along, tried first with dryRun',
    {
      params: idParam,
      body: z.object({ roles, dryRun: z.boolean().default(true) }),
      response: broughtLine,
    },
  ),
  bring: post('/stencils/{id}/bring', 'Bring what changed to folders made from earlier versions; tried first with dryRun', {
    params: idParam,
    body: z.object({ placeIds: z.array(id).min(1).max(2000).optional(), dryRun: z.boolean().default(true) }),
    response: z.object({ results: z.array(broughtLine) }),
  }),
};
