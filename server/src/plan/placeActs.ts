import { hasRight } from '@key-cellar/core/access';
import { plan, setup } from '@key-cellar/contract';
import { codePattern, kindsInside, mergeRefusal, moveRefusal } from '@key-cellar/core/plan';
import { refuse } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { message, type Message, type Value } from '@key-cellar/words';
import { checkFacts, recordTypes } from '../facts/index.js';
import { setOfNewPlace } from '../access/index.js';
import { actsFor, one, Problem, wrongField, type PersonAccess, type Services } from '../kernel/index.js';
import {
  effectOn,
  factsOfAllTypes,
  freeCode,
  reorganise,
  requireNotBefore,
  requireRevision,
  seriesOf,
  standingOf,
  stayingIn,
  type Staying,
} from './changes.js';
import { madeActs, placeKind, toChange } from './kinds.js';
import { shutAround } from './places.js';
import * as codeStore from './codeStore.js';
import * as moveStore from './moveStore.js';
import * as placeStore from './placeStore.js';

const { act } = actsFor<Services>();
const refusal = (code: string, sentence: Message | null) => (sentence === null ? null : refuse(code, sentence));

const kindsMade = ['function', 'activity', 'series', 'folder'] as const;

/** Throws 422 for a day of opening after that of the closing. */
function requireOpening(on: string | undefined, closedOn: string | null): void {
  if (on !== undefined && closedOn !== null && on > closedOn)
    throw wrongField('/openedOn', message('plan.closingOn', { on: { day: closedOn } }));
}

/** How many of some records a person may know of. */
const countKnown = (access: PersonAccess, of: readonly { access_set_id: number }[]): number =>
  of.filter((r) => hasRight(access.on(r.access_set_id).all, 'discover')).length;

export const placeActs = {
  /** Folders are everyday work of those who file; the plan itself is the keepers'. */
  makePlace: act(plan.makePlace, {
    name: kindsMade.map((kind) => madeActs[kind]),
    on: {
      parent: one(
        placeKind,
        ({ body }) => body.parentId,
        {
          words: 'edit for a folder, dispose for others',
          may: ['edit', 'dispose'],
          of: ({ body }) => (body.kind === 'folder' ? 'edit' : 'dispose'),
        },
        { lock: false },
      ),
    },
    repeat: 'refused',
    async write(uow, { on: { parent }, body, person, access }) {
      if (!kindsInside(parent.kind).includes(body.kind))
        throw wrongField('/kind', message('plan.cannotBeInside', { kind: body.kind, parent: parent.kind }));
      const shut = await shutAround(uow, parent, person.today);
      if (shut) throw new Problem(409, 'folder-closed', shut);
      const siblings = await placeStore.childrenOf(uow, parent.id);
      const code = await freeCode(uow, body.code, body.kind, parent.id);
      if (!codePattern.test(code)) throw wrongField('/code', message('plan.noCodeLettersAt', { code }));
      await requireNotBefore(uow, access, { code, kind: body.kind, parentId: parent.id }, body.again);
      const id = uuidv7();
      await placeStore.addPlace(uow, {
        ...body,
        code,
        id,
        ancestors: [...parent.ancestors, id],
        position: siblings.length,
        accessSetId: await setOfNewPlace(uow, { id, kind: body.kind, around: parent.access_set_id }),
        openedOn: body.openedOn ?? person.today,
      });
      return {
        answer: { id },
        entry: {
          act: madeActs[body.kind],
          subject: { kind: 'place', id, name: `${code} ${body.title}` },
          after: { parent: parent.code, note: body.note, ...(body.openedOn ? { openedOn: body.openedOn } : {}) },
        },
      };
    },
  }),

  editPlace: act(plan.editPlace, {
    name: ['changed a place', 'renumbered a place'],
    on: { place: one(placeKind, ({ params }) => params.id, toChange) },
    repeat: 'refused',
    async write(uow, { on: { place }, body, person, access }) {
      requireRevision(place, body.revision);
      requireOpening(body.openedOn, place.closed_on);
      if (place.code !== body.code) {
        if (place.parent_id === null) throw wrongField('/code', message('plan.repositoryKeepsCode'));
        if (await codeStore.codeTaken(uow, body.code, place.kind, place.parent_id)) {
          throw wrongField('/code', message('plan.codeAnotherPlace', { code: body.code }));
        }
        const asked = { code: body.code, kind: place.kind, parentId: place.parent_id, placeId: place.id };
        await requireNotBefore(uow, access, asked, body.again);
        await codeStore.keepFormerCode(uow, place, person.today);
        await codeStore.dropFormerCode(uow, place.id, body.code);
      }
      const { revision: _revision, again: _again, ...after } = body;
      const before = {
        code: place.code,
        title: place.title,
        note: place.note,
        notHere: place.not_here,
        message: place.message,
        ...(body.openedOn ? { openedOn: place.opened_on } : {}),
      };
      return {
        answer: { revision: await moveStore.writePlace(uow, place.id, body) },
        entry: { act: place.code === body.code ? 'changed a place' : 'renumbered a place', before, after },
      };
    },
  }),

  /** Moves a place with all that is in it. Where its access came from above, it comes from there no more. */
  movePlace: act(plan.movePlace, {
    name: 'moved a place',
    also: ['moved'],
    on: {
      place: one(placeKind, ({ params }) => params.id, toChange),
      parent: one(placeKind, ({ body }) => body.parentId, {
        words: 'edit on a series or folder, dispose on other places',
        may: ['edit', 'dispose'],
        of: (_input, parent) => (parent.kind === 'series' || parent.kind === 'folder' ? 'edit' : 'dispose'),
      }),
    },
    repeat: 'refused',
    job: { kind: 'recompute', beyond: 2000 },
    tries: ({ body }) => body.dryRun,
    // Two moves at once could close a circle between them.
    first: codeStore.lockPlan,
    decide: ({ on, person }) => refusal('cannot-move', moveRefusal(standingOf(on.place), standingOf(on.parent), person.today)),
    async write(uow, given) {
      const {
        on: { place, parent },
        body,
        services,
        access,
        person,
      } = given;
      requireRevision(place, body.revision);
      const from = (await placeStore.placeById(uow, place.parent_id!))!;
      const newSeriesId = seriesOf(parent, await placeStore.placesByIds(uow, parent.ancestors));
      if (await codeStore.codeTaken(uow, place.code, place.kind, parent.id, place.id)) {
        throw new Problem(409, 'code-taken', message('plan.codeTaken', { parent: parent.code, kind: place.kind, code: place.code }));
      }
      const effect = await effectOn(uow, access, person.today, place, parent);
      const staying: Staying = place.kind === 'folder' ? await stayingIn(uow, place, newSeriesId, false) : { declared: [], frozen: false };
      await reorganise(uow, given, staying, { places: [place, parent], into: parent, reason: body.reason });
      await codeStore.keepFormerCode(uow, place, person.today);
      await moveStore.moveUnder(uow, place, parent, place.kind === 'folder' ? newSeriesId : null);
      await services.events.tell(uow, 'placesChanged', { placeIds: [place.id], because: place.code });
      return {
        answer: { ...effect, declared: countKnown(access, staying.declared) },
        entry: {
          before: { in: `${from.code} ${from.title}` },
          after: { in: `${parent.code} ${parent.title}`, records: effect.records },
          note: body.reason,
        },
      };
    },
  }),

  /** Merges a place into another of its kind: all that is in it goes there, its code leads there, and it is retired empty. */
  mergePlace: act(plan.mergePlace, {
    name: 'merged a place',
    also: ['moved'],
    on: { place: one(placeKind, ({ params }) => params.id, toChange), into: one(placeKind, ({ body }) => body.intoId, toChange) },
    repeat: 'refused',
    job: { kind: 'recompute', beyond: 2000 },
    tries: ({ body }) => body.dryRun,
    first: codeStore.lockPlan,
    decide: ({ on, person }) => refusal('cannot-merge', mergeRefusal(standingOf(on.place), standingOf(on.into), person.today)),
    async write(uow, given) {
      const {
        on: { place, into },
        access,
        body,
        services,
        person,
      } = given;
      requireRevision(place, body.revision);
      const events = await moveStore.eventCount(uow, place.id);
      if (events > 0) {
        throw new Problem(409, 'has-events', message('plan.hasEvents', { code: place.code, n: events, into: into.code }));
      }
      const newSeriesId = seriesOf(into, await placeStore.placesByIds(uow, into.ancestors));
      const clash = await moveStore.clashingCodes(uow, place.id, into.id);
      if (clash.length > 0) {
        const known = clash.filter((c) => c.sets.every((set) => hasRight(access.on(set).all, 'discover'))).map((c) => c.code);
        const named: Value[] = known.slice(0, 5);
        if (clash.length > known.length || known.length > 5) named.push(message('shared.others'));
        throw new Problem(409, 'code-taken', message('plan.bothHaveInsideRenumber', { named: { all: named } }));
      }
      const effect = await effectOn(uow, access, person.today, place, into);
      const staying = await stayingIn(uow, place, newSeriesId, true);
      await reorganise(uow, given, staying, { places: [place, into], into, reason: body.reason });
      await moveStore.mergeInto(uow, place, into, newSeriesId, person.today);
      await services.events.tell(uow, 'placesChanged', { placeIds: [into.id], because: into.code });
      return {
        answer: { ...effect, declared: countKnown(access, staying.declared) },
        entry: { after: { into: `${into.code} ${into.title}`, records: effect.records, places: effect.places }, note: body.reason },
      };
    },
  }),

  closeFolder: act(plan.closeFolder, {
    name: 'closed a folder',
    also: ['declared'],
    on: { folder: one(placeKind, ({ params }) => params.id, toChange) },
    repeat: 'refused',
    job: { kind: 'recompute', beyond: 2000 },
    async write(uow, { on: { folder }, body: { on }, person, services }) {
      if (folder.kind !== 'folder') throw new Problem(409, 'not-a-folder', message('plan.notAFolder'));
      if (on < folder.opened_on) throw wrongField('/on', message('plan.folderOpenedOnIf', { on: { day: folder.opened_on } }));
      if (folder.closed_on !== null && folder.closed_on <= person.today)
        throw new Problem(409, 'folder-closed', message('plan.folderClosed', { on: { day: folder.closed_on! } }));
      await placeStore.closePlace(uow, folder.id, on);
      // What closes later declares on its day: the sweep sees to it.
      if (folder.declare_on === 'folderClosed' && on <= person.today)
        await services.events.tell(uow, 'folderClosed', { placeId: folder.id });
      await services.events.tell(uow, 'placesChanged', { placeIds: [folder.id], because: folder.code });
      return { answer: {}, entry: { before: { closedOn: folder.closed_on }, after: { closedOn: on } } };
    },
  }),

  reopenFolder: act(plan.reopenFolder, {
    name: ['opened a folder again', 'called off a closing', 'brought a place back'],
    on: { place: one(placeKind, ({ params }) => params.id, toChange) },
    repeat: 'refused',
    job: { kind: 'recompute', beyond: 2000 },
    decide: ({ on: { place } }) =>
      refusal('nothing-to-do', place.closed_on === null && place.retired_on === null ? message('plan.isOpen') : null),
    async write(uow, { on: { place }, body: { reason }, services, person }) {
      await moveStore.reopen(uow, place.id);
      await services.events.tell(uow, 'placesChanged', { placeIds: [place.id], because: place.code });
      return {
        answer: {},
        entry: {
          act:
            place.retired_on !== null
              ? 'brought a place back'
              : place.closed_on! > person.today
                ? 'called off a closing'
                : 'opened a folder again',
          before: { closedOn: place.closed_on, retiredOn: place.retired_on },
          note: reason,
        },
      };
    },
  }),

  retirePlace: act(plan.retirePlace, {
    name: 'retired a place',
    on: { place: one(placeKind, ({ params }) => params.id, toChange) },
    repeat: 'refused',
    decide({ on: { place } }) {
      if (place.kind === 'repository') return refuse('cannot-retire', message('plan.cannotRetire'));
      return refusal('nothing-to-do', place.retired_on === null ? null : message('plan.wasRetired', { on: { day: place.retired_on } }));
    },
    async write(uow, { on: { place }, body: { reason }, person }) {
      await moveStore.retire(uow, place.id, person.today);
      return { answer: {}, entry: { after: { on: person.today }, note: reason } };
    },
  }),

  /** Says what a folder gives on to what is filed in it from now on. */
  placeFacts: act(setup.placeFacts, {
    name: 'changed the facts of a place',
    on: { place: one(placeKind, ({ params }) => params.id, 'edit') },
    repeat: 'refused',
    async write(uow, { on: { place }, body, access, person }) {
      requireRevision(place, body.revision);
      const { facts } = await checkFacts(uow, access, person, { facts: await factsOfAllTypes(uow) }, body.facts, { before: place.facts });
      await placeStore.writePlaceFacts(uow, place.id, facts);
      return { answer: { revision: place.revision + 1 }, entry: { before: place.facts, after: facts } };
    },
  }),

  /** Says which types, formats and sizes a place takes. */
  placeTakes: act(setup.placeTakes, {
    name: 'changed what a place takes',
    on: { place: one(placeKind, ({ params }) => params.id, 'dispose') },
    repeat: 'refused',
    async write(uow, { on: { place }, body }) {
      requireRevision(place, body.revision);
      const types = new Set((await recordTypes(uow)).map((t) => t.code));
      const unknown = body.takes?.types?.find((code) => !types.has(code));
      if (unknown !== undefined) throw wrongField('/takes/types', message('plan.thereNoRecordType', { unknown }));
      await placeStore.writeTakes(uow, place.id, body.takes);
      return { answer: { revision: place.revision + 1 }, entry: { before: place.takes, after: body.takes } };
    },
  }),
};
