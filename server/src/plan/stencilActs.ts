import { stencils as contract, type BroughtLine, type OutcomeLine, type Told, type UseLine } from '@key-cellar/contract';
import type { Right } from '@key-cellar/core/access';
import { canonicalJson } from '@key-cellar/core/ledger';
import { foldersOf, isCodePattern, kindWords, type StencilDefinition, type StencilFolder } from '@key-cellar/core/plan';
import { uuidv7 } from 'uuidv7';
import { message } from '@key-cellar/words';
import {
  actsFor,
  atRepository,
  carryEach,
  changedMeanwhile,
  many,
  noRight,
  notFound,
  one,
  Problem,
  wrongField,
  type Given,
  type RightOn,
  type Services,
  type Several,
  type UnitOfWork,
} from '../kernel/index.js';
import { factsOfAllTypes, freeCode, requireNotBefore } from './changes.js';
import { lockPlan } from './codeStore.js';
import { placeKind, stencilKind } from './kinds.js';
import { shutAround } from './places.js';
import { bringTo, putInto } from './stencilBringing.js';
import { makeFolders, requireCode, rolesOf, withIds, work, type Bringing, type Using } from './stencilMaking.js';
import { requireInUse } from './stencilReads.js';
import { requireSound } from './stencilSound.js';
import * as stencils from './stencilStore.js';
import * as placeStore from './placeStore.js';

const { act, actInParts } = actsFor<Services>();
const keepers = message('plan.keepersMakeStencils');
/** What making a folder from a stencil may enter. */
const making = ['granted', 'made a folder', 'retired a place'];

/** Whether a folder says what only keepers may set. */
const isKeepers = (f: StencilFolder): boolean =>
  f.rules.length > 0 ||
  f.jurisdictions.length > 0 ||
  f.marking !== null ||
  [f.types, f.formats, f.largest, f.numbering].some((part) => part !== null);

/** Rights that applying a stencil takes, beyond making folders: it sets what only some may set. */
function rightsFor(definition: StencilDefinition): Right[] {
  const all = foldersOf(definition.root).map((f) => f.folder);
  return [
    'edit',
    ...(all.some((f) => f.grants.length > 0 || f.standAlone) ? (['grant'] as const) : []),
    ...(all.some(isKeepers) ? (['dispose'] as const) : []),
  ];
}

/** Applying a stencil takes the rights to all that it sets. */
const toApply: RightOn<placeStore.PlaceRow> = {
  words: 'edit; grant and dispose where the stencil gives access, rules or markings',
  may: ['edit', 'grant', 'dispose'],
  of: (_input, _place, found) => rightsFor((found['stencil'] as stencils.StencilRow).definition),
};

async function requireFreeTitle(uow: UnitOfWork, title: string, id: string): Promise<void> {
  if (await stencils.titleTaken(uow, title, id)) throw wrongField('/title', message('plan.thereStencilAlready', { title }));
}

/** Does something to each place, in a transaction of its own, and tells what came of it; one that is refused does not touch the others. */
async function bringEach(
  { services, person, access, trial }: Pick<Given<never, Services, unknown>, 'services' | 'person' | 'access' | 'trial'>,
  carry: Several,
  stencil: stencils.StencilRow,
  places: readonly placeStore.PlaceRow[],
  bring: (using: Using, place: placeStore.PlaceRow) => Promise<Bringing>,
): Promise<Told<BroughtLine>[]> {
  const lineOf = (place: placeStore.PlaceRow) => ({ placeId: place.id, name: `${place.code} ${place.title}` });
  return carryEach<placeStore.PlaceRow, Told<BroughtLine>>(carry, { trial, log: services.log }, places, {
    part: async (uow, place) => {
      const brought = await bring({ uow, services, person, access, stencil, trial }, place);
      const line = { ...lineOf(place), ...brought };
      if (brought.changes.length === 0 && brought.kept.length === 0) return { ...line, outcome: 'skipped', why: message('plan.already') };
      return { ...line, outcome: 'done', why: message(trial ? 'plan.wouldBrought' : 'plan.brought') };
    },
    refused: (place, { said }) => ({ ...lineOf(place), changes: [], kept: [], rules: [], dates: null, outcome: 'refused', why: said }),
  });
}

const refusedLines = (left: readonly Told<OutcomeLine>[]): Told<BroughtLine>[] =>
  left.map(({ id, name, why }) => ({ placeId: id, name, changes: [], kept: [], rules: [], dates: null, outcome: 'refused', why }));

export const stencilActs = {
  make: act(contract.make, {
    name: 'made a stencil',
    on: { repository: atRepository('dispose', keepers) },
    repeat: 'refused',
    async write(uow, { body, person }) {
      await requireSound(uow, body.definition);
      const id = uuidv7();
      await requireFreeTitle(uow, body.title, id);
      await stencils.addStencil(uow, { id, subject: body.subject, title: body.title, note: body.note });
      await stencils.addStencilVersion(uow, { id, version: 1, definition: body.definition, by: person.id, at: uow.at });
      return { answer: { id }, entry: { subject: { kind: 'stencil', id, name: body.title }, after: body } };
    },
  }),

  change: act(contract.change, {
    name: ['changed a stencil', 'described a stencil'],
    on: { stencil: one(stencilKind, ({ params }) => params.id, 'dispose', { who: keepers }) },
    repeat: 'refused',
    async write(uow, { on: { stencil: before }, body, person }) {
      const { id } = before;
      if (before.revision !== body.revision) throw changedMeanwhile();
      await requireSound(uow, body.definition);
      await requireFreeTitle(uow, body.title, id);
      const other = canonicalJson(body.definition) !== canonicalJson(before.definition);
      const version = other ? before.version + 1 : before.version;
      if (other) await stencils.addStencilVersion(uow, { id, version, definition: body.definition, by: person.id, at: uow.at });
      const retiredOn = body.retired ? (before.retired_on ?? person.today) : null;
      const { subject, title, note } = body;
      await stencils.writeStencil(uow, { id, subject, title, note, retiredOn });
      return {
        answer: { revision: before.revision + 1, version },
        entry: {
          act: other ? 'changed a stencil' : 'described a stencil',
          subject: { kind: 'stencil', id, name: title },
          before: {
            subject: before.subject,
            title: before.title,
            note: before.note,
            version: before.version,
            retiredOn: before.retired_on,
          },
          after: { subject, title, note, version, retiredOn, ...(other ? { definition: body.definition } : {}) },
        },
      };
    },
  }),

  /** Makes folders, one a use, each in a transaction of its own: one that fails does not touch the others. */
  apply: actInParts(contract.apply, {
    name: 'made a folder',
    also: making,
    on: {
      stencil: one(stencilKind, ({ params }) => params.id, noRight),
      parent: one(placeKind, ({ body }) => body.placeId, toApply),
    },
    repeat: 'another',
    tries: ({ body }) => body.dryRun,
    async perform({ services, person, access, on: { stencil, parent }, body, trial }, carry) {
      requireInUse(stencil);
      if (parent.kind !== 'series' && parent.kind !== 'folder') {
        throw wrongField('/placeId', message('plan.foldersSeriesFolder', { code: parent.code, kind: kindWords(parent.kind) }));
      }
      const { pool } = services;
      const shut = await shutAround(pool, parent, person.today);
      if (shut) throw new Problem(409, 'folder-closed', shut);
      const definitions = new Map((await factsOfAllTypes(pool)).map((f) => [f.code, f]));
      const uses = (await withIds(pool, definitions, body.uses)).map((use, i) => ({ ...use, line: i + 1 }));
      const results = await carryEach<(typeof uses)[number], Told<UseLine>>(carry, { trial, log: services.log }, uses, {
        part: async (uow, { line, ...use }) => {
          const using = { uow, services, person, access, stencil, trial };
          const worked = await work(using, definitions, use);
          const now = (await placeStore.lockPlace(uow, parent.id))!;
          // Written out or counted, it is a code only under the lock.
          if (!isCodePattern(worked.code)) requireCode(worked.code);
          const code = await freeCode(uow, worked.code, 'folder', parent.id);
          await requireNotBefore(uow, access, { code, kind: 'folder', parentId: parent.id }, false);
          const { root, inside } = await makeFolders(using, now, { ...worked, code });
          return {
            id: stencil.id,
            line,
            code,
            name: `${code} ${root.title}`,
            title: root.title,
            folders: inside,
            outcome: 'done',
            why: trial ? message('plan.wouldBeMade', { n: inside.length }) : message('plan.made'),
            placeId: trial ? null : root.id,
          };
        },
        refused: ({ line, title, code }, { said }) => ({
          id: stencil.id,
          line,
          code,
          name: title || String(line),
          title,
          folders: [],
          outcome: 'refused',
          why: said,
          placeId: null,
        }),
      });
      return { results };
    },
  }),

  /** Puts what a stencil says into folders that are there: what they lack is added, what they say stays. */
  applyTo: actInParts(contract.applyTo, {
    name: 'brought a change of a stencil',
    also: making,
    on: {
      stencil: one(stencilKind, ({ params }) => params.id, noRight),
      places: many(placeKind, ({ body }) => body.placeIds, toApply),
    },
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    job: { kind: 'recompute', beyond: 2000 },
    async perform(given, carry) {
      const {
        on: { stencil, places },
        left,
        body,
      } = given;
      requireInUse(stencil);
      if (places.length === 0 && left.every((l) => l.name === 'unknown')) throw notFound(message('thing.place'));
      const lines = await bringEach(given, carry, stencil, places, (using, place) => putInto(using, place.id, body.roles));
      return { results: [...lines, ...refusedLines(left)] };
    },
  }),

  /** Says who has which role in a use: access that the roles give goes from one to the other. */
  nameRoles: act(contract.nameRoles, {
    name: 'named who has a role',
    also: ['granted', 'brought a change of a stencil'],
    on: { place: one(placeKind, ({ params }) => params.id, 'grant') },
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    // The plan before its places, as whoever moves one does: else two could wait for each other in a circle.
    first: lockPlan,
    async write(uow, { services, person, access, on: { place }, body, trial }) {
      const made = await stencils.stencilOfPlace(uow, place.id);
      if (!made?.root) throw new Problem(409, 'no-use', message('plan.noUse', { code: place.code }));
      const { definition, version } = made;
      const stencil = { ...(await stencils.stencilById(uow, made.id))!, version, definition };
      const said = stencils.saidOf(made);
      const roles = await rolesOf(uow, definition, body.roles);
      const changed = canonicalJson(roles) !== canonicalJson(said.roles);
      const brought = await bringTo(
        { uow, services, person, access, stencil, trial },
        place.id,
        { definition, said },
        { definition, said: { ...said, roles } },
        ['grant'],
      );
      return {
        answer: {
          placeId: place.id,
          name: `${place.code} ${place.title}`,
          ...brought,
          outcome: changed ? ('done' as const) : ('skipped' as const),
          why: message(!changed ? 'plan.already' : body.dryRun ? 'plan.wouldBrought' : 'plan.brought'),
        },
        entry: changed ? { act: 'named who has a role', before: said.roles, after: roles } : null,
      };
    },
  }),

  /** Brings what changed since to folders made from earlier versions: to some, or to all that the person may see. */
  bring: actInParts(contract.bring, {
    name: 'brought a change of a stencil',
    also: making,
    on: {
      stencil: one(stencilKind, ({ params }) => params.id, noRight),
      places: many(
        placeKind,
        async ({ params, body }, { db, access }) => {
          const stencil = await stencils.stencilById(db, params.id);
          const made = await stencils.made(db, params.id, access.sets('discover'));
          const behind = made.filter((m) => m.stencil_version < (stencil?.version ?? 0)).map((m) => m.id);
          const wanted: readonly string[] | undefined = body.placeIds;
          return wanted ? wanted.filter((id) => behind.includes(id)) : behind;
        },
        toApply,
      ),
    },
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    job: { kind: 'recompute', beyond: 2000 },
    async perform(given, carry) {
      const {
        services,
        on: { stencil, places },
        left,
      } = given;
      requireInUse(stencil);
      const versions = new Map((await stencils.stencilVersions(services.pool, stencil.id)).map((v) => [v.version, v.definition]));
      const lines = await bringEach(given, carry, stencil, places, async (using, place) => {
        // As it is under the lock: somebody may have brought it meanwhile.
        await lockPlan(using.uow);
        await placeStore.lockPlace(using.uow, place.id);
        const made = (await stencils.stencilOfPlace(using.uow, place.id))!;
        const said = stencils.saidOf(made);
        const before = versions.get(made.version)!;
        // What an earlier version set is taken away by the same rights.
        const rights = [...new Set([...rightsFor(before), ...rightsFor(stencil.definition)])];
        return bringTo(using, place.id, { definition: before, said }, { definition: stencil.definition, said }, rights);
      });
      return { results: [...lines, ...refusedLines(left)] };
    },
  }),
};
