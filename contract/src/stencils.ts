import * as z from 'zod';
import { facts } from './records.js';
import {
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
import { text, prose, line } from './text.js';

export const readyTitle = z.object({
  text: text(200).trim(),
  date: z.enum(['none', 'before', 'after']),
  recordType: text(60).nullable(),
});

/** Folders lie in one another; what is wrong deeper than the core allows, the core says. */
interface FolderShape {
  key: string;
  code: string;
  title: string;
  note: string;
  message: string;
  grants: { principalId: string; profile: string }[];
  rules: string[];
  types: string[] | null;
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
    grants: z.array(z.object({ principalId: id, profile: text(40) })).max(50),
    rules: z.array(id).max(20),
    types: z.array(text(60)).max(200).nullable(),
    marking: z.object({ level: z.number().int().min(0).max(9), caveats: z.array(text(40)).max(20) }).nullable(),
    facts,
    readyTitles: z.array(readyTitle).max(50),
    inside: z.array(folder).max(100),
  }),
);
export const definition = z.object({ asks: z.array(text(40)).max(30), root: folder });
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
const use = z.object({ title: text(200).trim().default(''), code: text(40).default(''), facts: facts.default({}) });
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

const broughtLine = z.object({
  placeId: id,
  name: z.string(),
  /** What changes there, in words, and what stays because people changed it. */
  changes: z.array(sentence),
  kept: z.array(sentence),
  /** Rules that come to folders of it or leave them, for the effect on due dates. */
  rules: z.array(z.object({ placeId: id, ruleId: id, set: z.boolean() })),
  outcome: z.enum(['done', 'refused', 'skipped']),
  why: sentence,
});
export type BroughtLine = z.infer<typeof broughtLine>;

export const stencils = {
  list: get('/stencils', 'The shelf of stencils', { response: z.object({ stencils: z.array(stencilLine) }) }),
  stencil: get('/stencils/{id}', 'One stencil with its versions and the folders made from it', { params: idParam, response: stencilPage }),
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
    body: z.object({ placeIds: z.array(id).min(1).max(2000), dryRun: z.boolean().default(true) }),
    response: z.object({ results: z.array(broughtLine) }),
  }),
  bring: post('/stencils/{id}/bring', 'Bring what changed to folders made from earlier versions; tried first with dryRun', {
    params: idParam,
    body: z.object({ placeIds: z.array(id).min(1).max(2000).optional(), dryRun: z.boolean().default(true) }),
    response: z.object({ results: z.array(broughtLine) }),
  }),
};
