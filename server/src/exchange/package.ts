import { packageSections, sectionNames, type ConflictWay, type PackageOutcome, type SectionName, type Told } from '@key-cellar/contract';
import { message } from '@key-cellar/words';
import * as z from 'zod';
import { inReadSnapshot, rootSet, withUnitOfWork, type PersonAccess, type Several, type SignedIn } from '../kernel/index.js';
import type { Services } from '../records/index.js';
import { accessShift, accessStanding, type AccessStanding } from '../access/index.js';
import { countKnownWithin, mostDated, recomputeWithin, shiftWithin, type Reach } from '../schedule/index.js';
import { GivenUp, Problem, type UnitOfWork } from '../kernel/index.js';
import { takenOrTold } from '../tables/index.js';
import { bring, outgoing, remember, rightsIn, toLine, type Bringing, type Incoming } from './bringing.js';
import { Names } from './names.js';
import { fileOf, pack, readingPackage, type PackageItems } from './packing.js';
import { sections } from './sections.js';
import * as store from './store.js';

/** All that is arranged, as it leaves; exporting is an act of its own. */
export async function exportPackage(services: Services, person: SignedIn): Promise<{ bytes: Buffer; type: string; name: string }> {
  const items = await inReadSnapshot(services.pool, async (db) => {
    const names = await Names.load(db);
    const all: Partial<Record<SectionName, readonly Record<string, unknown>[]>> = {};
    for (const name of sectionNames) all[name] = (await outgoing(db, sections[name], names)).map((one) => one.wire);
    return all;
  });
  await withUnitOfWork(
    services.pool,
    person,
    (uow) =>
      uow.enter({
        act: 'exported a package',
        subject: { kind: 'repository', id: null, name: person.repository },
        after: Object.fromEntries(sectionNames.map((name) => [name, items[name]?.length ?? 0])),
      }),
    'none',
  );
  return { bytes: await pack(items), type: 'application/zip', name: 'package.zip' };
}

/** Begins to bring something: nothing is found out yet. */
export async function beginning(
  uow: UnitOfWork,
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  conflictWay: ConflictWay,
): Promise<Bringing> {
  const root = await rootSet(uow);
  return {
    uow,
    services,
    person,
    access,
    names: await Names.load(uow),
    conflictWay,
    changes: [],
    conflicts: [],
    errors: [],
    warnings: [],
    touched: { all: false, places: new Set() },
    ...rightsIn(access, root),
    label: (field) => message(`exchange.part.${field as 'title'}`),
  };
}

/** Dates anew what was touched. A trial says how dates move; the act does it at once where it is little, else as a job. */
export async function dated(b: Bringing, trial: boolean, because: string) {
  const { uow, services, access, touched } = b;
  const root = b.names.idOf({ refers: 'place', to: '' });
  const placeIds = touched.all && root !== undefined ? [root] : [...touched.places];
  if (placeIds.length === 0) return { dates: null, recomputed: 0 };
  const reach: Reach = { placeIds };
  const recomputed = await countKnownWithin(uow, reach, access.sets('discover'));
  if (trial) return { dates: await shiftWithin(uow, reach, access, mostDated), recomputed };
  await recomputeWithin(services, uow, reach, because);
  return { dates: null, recomputed };
}

/** Whose access changed since; null where that was not looked at. */
export const shiftSince = async ({ uow, person }: Bringing, before: AccessStanding | null) =>
  before && accessShift(before, await accessStanding(uow, person.today), person.id);

/**
 * Takes in a package, section by section in the order in which they depend on each other, in one transaction. With an error, or a
 * conflict that is to refuse, nothing is kept.
 */
export async function importPackage(
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  work: Several,
  input: { readonly bytes: Buffer; readonly conflicts: ConflictWay; readonly dryRun: boolean },
): Promise<Told<PackageOutcome>> {
  const items = await services.reading.run(readingPackage, { bytes: input.bytes }).catch((error: unknown) => {
    if (error instanceof GivenUp) throw new Problem(422, 'no-package', message('tables.fileTakesTooLong'));
    throw error;
  });
  return takeIn(services, person, access, work, {
    ...input,
    act: 'took in a package',
    coming: () => Promise.resolve(items),
    common: lastBrought,
  });
}

/** What both sides had in common with an item that comes, section by section. */
export type CommonIn = (b: Bringing, section: SectionName) => Promise<Incoming['common']>;

const lastBrought: CommonIn = async (b, section) => {
  const known = new Map((await store.brought(b.uow, section)).map((one) => [one.name, one.fields]));
  return (names) => {
    const fields = names.map((one) => known.get(one)).find((one) => one !== undefined);
    return fields ? { known: fields } : 'none';
  };
};

/** Takes in many things of many kinds, tried or done; `coming` says which, once nothing here changes any more. */
export function takeIn(
  services: Services,
  person: SignedIn,
  access: PersonAccess,
  work: Several,
  input: {
    readonly act: 'took in a package' | 'took in a kit';
    readonly conflicts: ConflictWay;
    readonly dryRun: boolean;
    readonly common: CommonIn;
    coming(b: Bringing): Promise<PackageItems>;
  },
): Promise<Told<PackageOutcome>> {
  return takenOrTold(
    work,
    (outcome) => outcome.errors.length + outcome.conflicts.length > 0,
    async (uow) => {
      const before = input.dryRun ? await accessStanding(uow, person.today) : null;
      const b = await beginning(uow, services, person, access, input.conflicts);
      const items = await input.coming(b);
      await bringAll(b, items, input.common);
      const clean = b.errors.length === 0 && b.conflicts.length === 0;
      const did = b.changes.filter((c) => c.what === 'new' || c.what === 'changed').length;
      const { dates, recomputed } = clean ? await dated(b, input.dryRun, 'a package') : { dates: null, recomputed: 0 };
      if (did > 0) {
        uow.enter({
          act: input.act,
          subject: { kind: 'repository', id: null, name: person.repository },
          after: { ...counted(items), changes: did, kept: b.changes.length - did },
        });
      }
      return {
        items: Object.values(items).reduce((sum, list) => sum + list.length, 0),
        changes: b.changes.map((c) => ({ ...toLine(c), what: c.what })),
        conflicts: b.conflicts.map(toLine),
        errors: b.errors.map(toLine),
        warnings: b.warnings.map(toLine),
        access: clean ? await shiftSince(b, before) : null,
        dates,
        recomputed,
      };
    },
  );
}

const counted = (items: PackageItems): Record<string, number> =>
  Object.fromEntries(Object.entries(items).map(([name, list]) => [name, list.length]));

async function bringAll(b: Bringing, items: PackageItems, commonIn: CommonIn): Promise<void> {
  for (const name of sectionNames) {
    const list = items[name];
    if (!list?.length) continue;
    const section = sections[name];
    const common = await commonIn(b, name);
    const incoming = list.map((wire): Incoming => ({ wire, common }));
    await bring(b, section as never, incoming);
    // What comes later points at what came before: with errors there it would only be told twice.
    if (b.errors.length > 0) return;
    await remember(
      b.uow,
      name,
      list.map((wire) => ({ name: section.nameOf(wire), wire })),
    );
  }
}

/** The JSON Schema (draft 2020-12) of each file; where things point at each other it has the name and not the id. */
export function packageSchema(): Record<string, unknown> {
  const pointer = {
    type: 'object',
    properties: { refers: { type: 'string' }, to: { type: 'string' } },
    required: ['refers', 'to'],
    additionalProperties: false,
  };
  return Object.fromEntries(
    sectionNames.map((name) => [
      fileOf(name),
      z.toJSONSchema(z.array(packageSections[name]), {
        io: 'input',
        unrepresentable: 'any',
        override: ({ zodSchema, jsonSchema }) => {
          // Facts point at things, too.
          const { anyOf } = jsonSchema;
          if (anyOf?.some((one) => one.type === 'string') && anyOf.some((one) => one.type === 'number')) anyOf.push(pointer as never);
          if ((zodSchema._zod.def as { format?: string }).format !== 'uuid') return;
          for (const key of Object.keys(jsonSchema)) delete jsonSchema[key as keyof typeof jsonSchema];
          Object.assign(jsonSchema, pointer);
        },
      }),
    ]),
  );
}
