import { rights } from '@key-cellar/core/access';
import { referenceKinds } from '@key-cellar/core/exchange';
import { placeKinds } from '@key-cellar/core/plan';
import { countScopes } from '@key-cellar/core/records';
import { languages } from '@key-cellar/words';
import * as z from 'zod';
import { criteria } from './criteria.js';
import { factDefinition, facts } from './records.js';
import { ruleDefinition } from './schedule.js';
import { entityKinds, sign, takes } from './setup.js';
import {
  accessShift,
  conflictWay,
  dateShift,
  dateText,
  get,
  id,
  largestTable,
  post,
  sentence,
  tableFormat,
  tableInput,
  tableOutcome,
  withTable,
} from './shared.js';
import { definition, readyTitle } from './stencils.js';
import { line, prose, text } from './text.js';

/*
 * What a package holds. In here things point at each other by their ids; in the package each id stands as the name of what it is
 * ({@link reference}), so that nothing in it belongs to one repository only.
 */

/** How a package says what something points at: a login, the name of a group, party or object, a rule's code, a place's path … */
export const reference = z.strictObject({
  refers: z.enum(referenceKinds),
  to: z.string(),
});
export type Reference = z.infer<typeof reference>;

const instant = z.iso.datetime({ offset: true });
const marking = z.strictObject({ level: z.number().int().min(0).max(9), caveats: z.array(text(40)).max(20) });

/** Who is given what, wherever it is given. */
const given = { principal: id, profile: line(40), from: dateText.nullable(), until: dateText.nullable(), reason: prose(2000) };

const jurisdiction = z.strictObject({
  name: line(80),
  partOf: line(80).nullable(),
  /** Weekdays that are not worked, 1 = Monday, and holidays; null: nobody said. */
  calendar: z
    .strictObject({
      weekend: z.array(z.number().int().min(1).max(7)).max(7),
      holidays: z.array(z.strictObject({ on: dateText, name: text(200) })).max(5000),
    })
    .nullable(),
});
const eventType = z.strictObject({ name: line(80) });
const namedYear = z.strictObject({ name: line(80), ends: z.array(dateText).max(500) });

const person = z.strictObject({
  login: line(80),
  name: line(200),
  email: line(200).nullable(),
  clearance: marking,
  active: z.boolean(),
});
/** Members are people and groups. */
const group = z.strictObject({
  name: line(80),
  active: z.boolean(),
  members: z.array(id).max(5000),
  /** Whether it asks its members for a second factor; in packages of before it is not said. */
  secondFactor: z.boolean().default(false),
});

const recordType = z.strictObject({
  code: line(60),
  retiredOn: dateText.nullable(),
  versions: z
    .array(z.strictObject({ title: line(80), facts: z.array(factDefinition).max(100), publishedBy: id.nullable(), publishedAt: instant }))
    .min(1)
    .max(1000),
});
const numbering = z.strictObject({
  title: line(80),
  pattern: line(100),
  per: z.array(z.enum(countScopes)),
  gapless: z.boolean(),
});
const detector = z.strictObject({ title: line(80), note: prose(4000), signs: z.array(sign).max(50), retiredOn: dateText.nullable() });
const entity = z.strictObject({
  kind: z.enum(entityKinds),
  name: line(200),
  code: text(60),
  note: prose(4000),
  retiredOn: dateText.nullable(),
});

const rule = z.strictObject({
  code: z.string().regex(/^[A-Z0-9][A-Z0-9-]{0,29}$/),
  draft: ruleDefinition.nullable(),
  versions: z
    .array(
      z.strictObject({
        definition: ruleDefinition,
        inForceFrom: dateText,
        takesOver: z.enum(['all', 'laterClocks']),
        publishedBy: id,
        publishedAt: instant,
      }),
    )
    .max(1000),
  /** Versions that were taken back before they came into force, in the order in which they were. */
  withdrawals: z.array(z.strictObject({ version: z.number().int().min(1), by: id, at: instant, reason: prose(2000) })).max(1000),
});
/** In the order in which they are asked. */
const criteriaRules = z.strictObject({
  name: z.literal('order'),
  rules: z.array(z.strictObject({ rule: id, criteria, note: prose(2000) })).max(2000),
});

const stencil = z.strictObject({
  title: line(120),
  subject: line(80),
  note: prose(4000),
  retiredOn: dateText.nullable(),
  versions: z
    .array(z.strictObject({ definition, madeBy: id, madeAt: instant }))
    .min(1)
    .max(1000),
});

export const placeItem = z.strictObject({
  /** Codes on its way: of a plan node its own, of a folder those from its series on (`BER-01/B-07`); a slash in a code stands twice. */
  path: text(400),
  kind: z.enum(placeKinds),
  /** Null: the repository itself. */
  inside: id.nullable(),
  code: text(40),
  title: line(300),
  note: prose(4000),
  notHere: prose(4000),
  message: prose(1000),
  openedOn: dateText,
  closedOn: dateText.nullable(),
  retiredOn: dateText.nullable(),
  formerCodes: z.array(z.strictObject({ code: text(40), until: dateText })).max(200),
  jurisdictions: z.array(line(80)).max(20),
  rules: z.array(id).max(100),
  /** Rules of a series for one record type. */
  pairs: z.array(z.strictObject({ recordType: line(60), rule: id })).max(500),
  numbering: id.nullable(),
  takes: takes.strict().nullable(),
  facts,
  readyTitles: z.array(readyTitle.strict()).max(50),
  declareOn: z.enum(['filing', 'folderClosed']).nullable(),
  frozenWhenDeclared: z.array(z.enum(['content', 'facts', 'moving'])).max(3),
  standAlone: z.boolean(),
  /** In packages of before it is not said, and no. */
  readerOnPages: z.boolean().default(false),
  /** Access tags that it carries itself; in packages of before it is not said, and none. */
  accessTags: z.array(id).max(20).default([]),
  marking,
  grants: z
    .array(
      z.strictObject({
        ...given,
        /** The stencil that placed it. */
        stencil: id.nullable(),
      }),
    )
    .max(1000),
  /** The stencil that it was made from, which of its folders it is, and what was said then. */
  madeFrom: z
    .strictObject({ stencil: id, version: z.number().int(), key: text(40), words: z.record(z.string(), z.unknown()).nullable() })
    .nullable(),
});

/** A profile of the repository’s own. */
const profile = z.strictObject({
  code: line(40).regex(/^[a-z0-9][a-z0-9-]*$/, 'input.code'),
  title: line(60),
  rights: z.array(z.enum(rights)).min(1),
  ownOnly: z.boolean(),
  active: z.boolean(),
});

/** An access tag with what is given by it. */
const accessTag = z.strictObject({
  name: line(80),
  note: prose(2000),
  active: z.boolean(),
  grants: z.array(z.strictObject(given)).max(1000),
});

/** The files of a package, in the order in which they depend on each other; each is a list of these. */
export const packageSections = {
  jurisdictions: jurisdiction,
  eventTypes: eventType,
  namedYears: namedYear,
  profiles: profile,
  people: person,
  groups: group,
  accessTags: accessTag,
  recordTypes: recordType,
  numberings: numbering,
  detectors: detector,
  entities: entity,
  rules: rule,
  stencils: stencil,
  places: placeItem,
  criteriaRules: criteriaRules,
} as const;
export type SectionName = keyof typeof packageSections;
export const sectionNames = Object.keys(packageSections) as SectionName[];
export type ItemOf<N extends SectionName> = z.infer<(typeof packageSections)[N]>;

/** Kinds that are a table each; places have one of their own. */
export const tableSection = z.enum(sectionNames).exclude(['places']);

export const packageFormat = 'key-cellar-package';
export const packageVersion = 1;
export const packageManifest = z.object({
  format: z.literal(packageFormat),
  version: z.literal(packageVersion),
  sections: z
    .array(
      z.strictObject({
        name: z.enum(sectionNames),
        file: text(80),
        items: z.number().int().min(0),
        sha256: z.string().regex(/^[0-9a-f]{64}$/),
      }),
    )
    .max(sectionNames.length),
});
export type PackageManifest = z.infer<typeof packageManifest>;

const packageLine = z.object({ section: z.enum(sectionNames), name: z.string(), sentence });
const packageOutcome = z.object({
  items: z.number().int(),
  changes: z.array(packageLine.extend({ what: z.enum(['new', 'changed', 'kept']) })),
  /** Fields that were changed here and there. */
  conflicts: z.array(packageLine),
  errors: z.array(packageLine),
  /** What nothing speaks against, and somebody should know. */
  warnings: z.array(packageLine),
  /** Of a trial: whose access changes. */
  access: accessShift.nullable(),
  dates: dateShift.nullable(),
  recomputed: z.number().int(),
});
export type PackageOutcome = z.infer<typeof packageOutcome>;

/** What a kit holds, each word in every language; the server reads it in one of them. */
const kitGrant = z.strictObject({ group: line(80), profile: line(40) });
export const kit = z.strictObject({
  format: z.literal('key-cellar-kit'),
  version: z.literal(1),
  code: z.string().regex(/^[a-z][a-z0-9-]*$/),
  title: line(80),
  about: line(300),
  eventTypes: z.array(line(80)),
  profiles: z.array(profile.omit({ active: true })),
  /** Members are groups of the kit. */
  groups: z.array(z.strictObject({ name: line(80), members: z.array(line(80)) })),
  recordTypes: z.array(z.strictObject({ code: line(60), title: line(80), facts: z.array(factDefinition.strict()) })),
  /** A rule as its definition; what it rests on is for whoever takes it to say. */
  rules: z.array(z.looseObject({ code: line(30), title: line(80) })),
  places: z.array(
    z.strictObject({
      code: line(40),
      /** The code of the place around it; none: the repository. */
      inside: line(40).optional(),
      title: line(80),
      kind: z.enum(['function', 'activity', 'series']),
      rules: z.array(line(30)).optional(),
      declareOn: placeItem.shape.declareOn.optional(),
      standAlone: z.boolean().optional(),
      grants: z.array(kitGrant).optional(),
    }),
  ),
  /** On the whole repository. */
  grants: z.array(kitGrant),
});
export type Kit = z.infer<typeof kit>;

const kitLine = z.object({
  code: z.string(),
  title: z.string(),
  about: z.string(),
  series: z.number().int(),
  rules: z.number().int(),
  recordTypes: z.number().int(),
  groups: z.number().int(),
});
export type KitLine = z.infer<typeof kitLine>;
const kitParams = z.object({ kit: line(40) });
const inLanguage = z.object({ language: z.enum(languages) });

export const exchange = {
  kits: get('/kits', 'Kits: small plans with rules, record types, profiles and groups to begin with', {
    query: inLanguage,
    response: z.object({ kits: z.array(kitLine) }),
  }),
  exportKit: get('/kits/{kit}/package', 'A kit as a package, to be changed and taken in', { params: kitParams, query: inLanguage }),
  importKit: post('/kits/{kit}', 'Take in a kit, which only adds what is not there; tried first with dryRun', {
    params: kitParams,
    body: inLanguage.extend({ dryRun: z.boolean().default(true) }),
    response: packageOutcome,
  }),
  exportPackage: get('/package', 'All that is arranged in the repository, as one package: a ZIP of JSON files with a manifest', {}),
  importPackage: post(
    '/package',
    'Take in a package; tried first with dryRun',
    {
      body: z.object({
        data: z.base64().max(largestTable),
        conflicts: conflictWay,
        dryRun: z.boolean().default(true),
      }),
      response: packageOutcome,
    },
    withTable,
  ),
  exportTable: get('/tables/{section}', 'Everything of one kind that is arranged, as a table', {
    params: z.object({ section: tableSection }),
    query: z.object({ format: tableFormat }),
  }),
  importTable: post(
    '/tables/{section}',
    'Take in a table of one kind of things; tried first with dryRun',
    {
      params: z.object({ section: tableSection }),
      body: tableInput.extend({ conflicts: conflictWay }),
      response: tableOutcome,
    },
    withTable,
  ),
  packageSchema: get('/package/schema', 'The JSON Schema of each file in a package', {
    response: z.object({ files: z.record(z.string(), z.unknown()) }),
  }),
};
