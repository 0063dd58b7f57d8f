import { exchange, plan } from '@key-cellar/contract';
import { message } from '@key-cellar/words';
import { actsFor, atRepository, Download, entering, requireAtRepository, type PersonAccess, type ReadsOf } from '../kernel/index.js';
import type { Services } from '../records/index.js';
import { importKit, kitLines, kitPackage } from './kits.js';
import { exportTable, importTable } from './sectionTable.js';
import { exportPlan, importPlan } from './planTable.js';
import { exportPackage, importPackage, packageSchema } from './package.js';

const { actInParts } = actsFor<Services>();
const keepers = message('exchange.whoCan');
/** Who brings everything also says who may do what. */
const ofEverything = { repository: atRepository('dispose', keepers), access: atRepository('grant', keepers) };
/** What bringing places may enter. */
const bringingPlaces = [
  'made a function',
  'made an activity',
  'made a series',
  'made a folder',
  'moved a place',
  'renumbered a place',
  'changed a place',
  'closed a folder',
  'opened a folder again',
  'retired a place',
  'brought a place back',
  'declared',
  'granted',
  'took a grant back',
] as const;

/** What bringing anything may enter. */
const bringingAnything = [
  'added a jurisdiction',
  'moved a jurisdiction',
  'set the working days of a jurisdiction',
  'added a type of event',
  'listed the ends of a named year',
  'added a person',
  'changed a person',
  'added a group',
  'made a profile',
  'changed a profile',
  'made an access tag',
  'changed an access tag',
  'changed access tags',
  'changed a group',
  'made a record type',
  'changed a record type',
  'retired a record type',
  'took a record type up again',
  'made a numbering',
  'changed a numbering',
  'made a detector',
  'changed a detector',
  'retired a detector',
  'added a party',
  'changed a party',
  'added a business object',
  'changed a business object',
  'began a rule',
  'saved a rule draft',
  'dropped a rule draft',
  'published a rule',
  'withdrew a rule version',
  'set a rule by criteria',
  'made a stencil',
  'changed a stencil',
  'described a stencil',
  ...bringingPlaces,
] as const;

export const planTableActs = {
  importPlan: actInParts(plan.importPlan, {
    name: 'took in a plan',
    also: bringingPlaces,
    on: ofEverything,
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    job: { kind: 'recompute', beyond: 2000 },
    perform: ({ services, person, access, body }, work) =>
      importPlan(services, person, access, work, {
        bytes: Buffer.from(body.data, 'base64'),
        format: body.format,
        conflicts: body.conflicts,
        dryRun: body.dryRun,
      }),
  }),
};

/** How everything that is arranged is brought, whatever it comes in. */
const bringing = {
  also: bringingAnything,
  on: ofEverything,
  repeat: 'same',
  tries: ({ body }: { readonly body: { readonly dryRun: boolean } }) => body.dryRun,
  job: { kind: 'recompute', beyond: 2000 },
} as const;

export const exchangeActs = {
  importPackage: actInParts(exchange.importPackage, {
    name: 'took in a package',
    ...bringing,
    perform: ({ services, person, access, body }, work) =>
      importPackage(services, person, access, work, {
        bytes: Buffer.from(body.data, 'base64'),
        conflicts: body.conflicts,
        dryRun: body.dryRun,
      }),
  }),
  importKit: actInParts(exchange.importKit, {
    name: 'took in a kit',
    ...bringing,
    perform: ({ services, person, access, params, body }, work) =>
      importKit(services, person, access, work, { code: params.kit, language: body.language, dryRun: body.dryRun }),
  }),
  importTable: actInParts(exchange.importTable, {
    name: 'took in a table',
    ...bringing,
    perform: ({ services, person, access, params, body }, work) =>
      importTable(services, person, access, work, {
        section: params.section,
        bytes: Buffer.from(body.data, 'base64'),
        format: body.format,
        conflicts: body.conflicts,
        dryRun: body.dryRun,
      }),
  }),
};

export const planTableReads: Pick<ReadsOf<typeof plan, Services>, 'exportPlan'> = {
  exportPlan: entering(
    ['exported the plan'],
    async ({ services, person, speaker, query }) => new Download(await exportPlan(services, person, speaker, query.format)),
  ),
};

/** What is arranged leaves with those who may bring it. */
const requireKeeper = ({ pool }: Services, access: PersonAccess): Promise<void> => requireAtRepository(pool, access, 'dispose');

export const exchangeReads: ReadsOf<typeof exchange, Services> = {
  kits: async ({ services, access, query }) => {
    await requireKeeper(services, await access());
    return { kits: await kitLines(services, query.language) };
  },
  exportKit: async ({ services, person, access, params, query }) => {
    await requireKeeper(services, await access());
    return new Download(await kitPackage(services, person, { code: params.kit, language: query.language }));
  },
  exportPackage: entering(['exported a package'], async ({ services, person, access }) => {
    await requireKeeper(services, await access());
    return new Download(await exportPackage(services, person));
  }),
  exportTable: entering(['exported a table'], async ({ services, person, access, params, query }) => {
    await requireKeeper(services, await access());
    return new Download(await exportTable(services, person, params.section, query.format));
  }),
  packageSchema: () => ({ files: packageSchema() }),
};
