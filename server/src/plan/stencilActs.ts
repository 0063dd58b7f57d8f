import { stencils as contract, type BroughtLine, type UseLine, type Told, type OutcomeLine } from '@key-cellar/contract';
import type { Right } from '@key-cellar/core/access';
import { canonicalJson } from '@key-cellar/core/ledger';
import { fillCode, fillText, foldersOf, isCodePattern, nextCode, type StencilDefinition, kindWords } from '@key-cellar/core/plan';
import { uuidv7 } from 'uuidv7';
import { message, type Message } from '@key-cellar/words';
import {
  actsFor,
  atRepository,
  changedMeanwhile,
  many,
  noRight,
  notFound,
  one,
  Problem,
  wrongField,
  type RightOn,
  type Services,
  type Several,
  type UnitOfWork,
} from '../kernel/index.js';
import { factsOfAllTypes, freeCode } from './changes.js';
import { placeKind, stencilKind } from './kinds.js';
import { shutAround } from './places.js';
import { planBring, planInto, type Plan } from './stencilBringing.js';
import { makeFolder, requireCode, whyOf, withIds, work } from './stencilMaking.js';
import { requireInUse } from './stencilReads.js';
import { requireSound } from './stencilSound.js';
import * as stencils from './stencilStore.js';
import * as codeStore from './codeStore.js';
import * as placeStore from './placeStore.js';

const { act, actInParts } = actsFor<Services>();
const keepers = message('plan.keepersMakeStencils');
/** What making a folder from a stencil may enter. */
const making = ['granted', 'made a folder'];

/** Rights that applying a stencil takes, beyond making folders: it sets what only some may set. */
function rightsFor(definition: StencilDefinition): Right[] {
  const all = foldersOf(definition.root).map((f) => f.folder);
  return [
    'edit',
    ...(all.some((f) => f.grants.length > 0) ? (['grant'] as const) : []),
    ...(all.some((f) => f.rules.length > 0 || f.types !== null || f.marking !== null) ? (['dispose'] as const) : []),
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

/** Carries out what was planned for each place, in a transaction of its own; or tells it, with `dryRun`. */
async function bringEach(
  services: Services,
  carry: Several,
  stencil: stencils.StencilRow,
  places: readonly placeStore.PlaceRow[],
  dryRun: boolean,
  planOf: (place: placeStore.PlaceRow) => Promise<Plan>,
): Promise<Told<BroughtLine>[]> {
  const lines: Told<BroughtLine>[] = [];
  for (const place of places) {
    const line = { placeId: place.id, name: `${place.code} ${place.title}`, changes: [] as Message[], kept: [] as Message[], rules: [] };
    try {
      const plan = await planOf(place);
      const told = { ...line, changes: plan.changes, kept: plan.kept, rules: plan.rules };
      if (plan.changes.length === 0 && plan.kept.length === 0) lines.push({ ...told, outcome: 'skipped', why: message('plan.already') });
      else lines.push({ ...told, outcome: 'done', why: dryRun ? message('plan.wouldBrought') : message('plan.brought') });
      if (dryRun) continue;
      await carry(async (uow) => {
        await placeStore.lockPlace(uow, place.id);
        for (const step of plan.acts) await step(uow);
        if (plan.rules.length > 0) await services.events.tell(uow, 'placesChanged', { placeIds: [place.id], because: stencil.title });
      });
    } catch (error) {
      lines.push({ ...line, outcome: 'refused', why: whyOf(error) });
    }
  }
  return lines;
}

const refusedLines = (left: readonly Told<OutcomeLine>[]): Told<BroughtLine>[] =>
  left.map(({ id, name, why }) => ({ placeId: id, name, changes: [], kept: [], rules: [], outcome: 'refused', why }));

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
    async perform({ services, person, access, on: { stencil, parent }, body }, carry) {
      requireInUse(stencil);
      if (parent.kind !== 'series' && parent.kind !== 'folder') {
        throw wrongField('/placeId', message('plan.foldersSeriesFolder', { code: parent.code, kind: kindWords(parent.kind) }));
      }
      const { pool } = services;
      const shut = await shutAround(pool, parent, person.today);
      if (shut) throw new Problem(409, 'folder-closed', shut);
      const definitions = new Map((await factsOfAllTypes(pool)).map((f) => [f.code, f]));
      const uses = await withIds(pool, definitions, body.uses);
      const taken = new Set((await codeStore.codesGiven(pool, 'folder', parent.id)).map((c) => c.code));
      const inside = foldersOf(stencil.definition.root).slice(1);
      const results: Told<UseLine>[] = [];
      for (const [i, use] of uses.entries()) {
        const name = use.title || String(i + 1);
        const line = { id: stencil.id, line: i + 1, name, code: '', title: use.title, folders: [] as string[], placeId: null };
        try {
          const worked = await work(services, person, access, stencil.definition, definitions, use);
          // What the pattern would give after those before it; counted again under its lock when the folder is made.
          const code = isCodePattern(worked.code) ? nextCode(worked.code, taken) : worked.code;
          requireCode(code);
          if (taken.has(code)) throw wrongField('/code', message('plan.existsAlreadyComesTwice', { code }));
          taken.add(code);
          const { words } = worked.said;
          const folders = inside.map(({ folder }) => `${fillCode(folder.code, words)} ${fillText(folder.title, words)}`);
          const named = { ...line, name: `${code} ${worked.title}`, code, title: worked.title, folders };
          if (body.dryRun) {
            const why = message('plan.wouldBeMade', { n: folders.length });
            results.push({ ...named, outcome: 'done', why });
            continue;
          }
          const made = await carry(async (uow) => {
            const now = (await placeStore.lockPlace(uow, parent.id))!;
            const free = await freeCode(uow, worked.code, 'folder', parent.id);
            requireCode(free);
            return makeFolder(uow, stencil, now, stencil.definition.root, { ...worked, code: free, asked: worked.said.facts });
          });
          taken.add(made.code);
          results.push({
            ...named,
            code: made.code,
            name: `${made.code} ${made.title}`,
            outcome: 'done',
            why: message('plan.made'),
            placeId: made.id,
          });
        } catch (error) {
          results.push({ ...line, outcome: 'refused', why: whyOf(error) });
        }
      }
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
    job: { kind: 'recompute', beyond: 2000 },
    async perform({ services, person, access, on: { stencil, places }, left, body }, carry) {
      requireInUse(stencil);
      if (places.length === 0 && left.every((l) => l.name === 'unknown')) throw notFound(message('thing.place'));
      const lines = await bringEach(services, carry, stencil, places, body.dryRun, (place) =>
        planInto(services.pool, person, access, stencil, place),
      );
      return { results: [...lines, ...refusedLines(left)] };
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
    job: { kind: 'recompute', beyond: 2000 },
    async perform({ services, access, on: { stencil, places }, left, body }, carry) {
      requireInUse(stencil);
      const made = await stencils.made(services.pool, stencil.id, access.sets('discover'));
      const versionOf = new Map(made.map((m) => [m.id, m.stencil_version]));
      const versions = new Map((await stencils.stencilVersions(services.pool, stencil.id)).map((v) => [v.version, v.definition]));
      const lines = await bringEach(services, carry, stencil, places, body.dryRun, (place) =>
        planBring(services.pool, stencil, versions.get(versionOf.get(place.id)!)!, place.id),
      );
      return { results: [...lines, ...refusedLines(left)] };
    },
  }),
};
