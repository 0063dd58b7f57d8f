import { records } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import { resolveCriteria } from '@key-cellar/core/criteria';
import { refusesInside, splitSteps, type SplitStep } from '@key-cellar/core/plan';
import { uuidv7 } from 'uuidv7';
import { message } from '@key-cellar/words';
import { getOrMakeSet, placeGrant } from '../access/index.js';
import { requireNamable } from '../criteria/index.js';
import { actsFor, mayDoTo, notAllowed, one, Problem, wrongField, type Given, type UnitOfWork } from '../kernel/index.js';
import {
  anchorOf,
  freeCode,
  lockPlan,
  moveUnder,
  placeById,
  placeKind,
  placesByIds,
  putRecordsIn,
  addReorganisation,
  requireNotBefore,
  requireRevision,
  shutAround,
  standingOf,
  type PlaceRow,
} from '../plan/index.js';
import { addEvents, mostDated, shiftWithin } from '../schedule/index.js';
import type { Services } from './services.js';
import * as store from './splitStore.js';

const { act } = actsFor<Services>();
const keepers = message('plan.keepersSplit');

type Call = Pick<Given<typeof records.splitSeries, Services, unknown>, 'body' | 'access' | 'person' | 'trial'>;

/**
 * Splits a series. Each part gets a new series that is arranged as the old one is (rules, access, marking, jurisdictions, numbering, what it takes, what
 * happened to it), so that nobody’s due date moves by the split alone. A folder of which all is wanted goes there; one of which some is wanted is made
 * again there. Declared records leave their series with a reason; what a hold freezes stays.
 */
export const splitSeries = act(records.splitSeries, {
  name: 'split a series',
  also: ['made a series', 'made a folder', 'moved a place', 'moved', 'granted', 'recorded an event'],
  on: { place: one(placeKind, ({ params }) => params.id, 'dispose', { who: keepers }) },
  repeat: 'refused',
  tries: ({ body }) => body.dryRun,
  job: { kind: 'recompute', beyond: 2000 },
  first: lockPlan,
  async write(uow, given) {
    const { place } = given.on;
    const { body, access, person, services, trial } = given;
    if (place.kind !== 'series') throw new Problem(409, 'no-series', message('plan.onlySeriesSplit', { code: place.code }));
    requireRevision(place, body.revision);
    const parent = (await placeById(uow, place.parent_id!))!;
    if (!(await mayDoTo(uow, placeKind, parent, 'dispose', person, access))) throw notAllowed('dispose', keepers);
    const shut = refusesInside(standingOf(place), person.today) ?? (await shutAround(uow, parent, person.today));
    if (shut) throw new Problem(409, 'place-shut', shut);
    if (!trial && !body.reason) throw wrongField('/reason', message('plan.splitNeedsReason'));
    const reason = body.reason ?? '-';
    const split = await new Splitting(uow, given, place, parent, reason).split();
    const series = split.parts.map((part) => part.place.id);
    if (trial) {
      const dates = await shiftWithin(uow, { placeIds: [place.id, ...series] }, access, mostDated);
      return { answer: { ...split.answer, dates }, entry: null };
    }
    await services.events.tell(uow, 'placesChanged', { placeIds: [place.id, ...series], because: place.code });
    return {
      answer: { ...split.answer, dates: null },
      entry: { after: { parts: split.answer.parts, declared: split.answer.declared }, note: reason },
    };
  },
});

interface Part {
  readonly place: PlaceRow;
  /** Places of the series that were made again in this part, by the id of the one they are the twin of. */
  readonly twins: Map<string, PlaceRow>;
  readonly records: Map<string, store.SplitRecordRow[]>;
  folders: number;
  divided: number;
}

class Splitting {
  private readonly parts: Part[] = [];

  constructor(
    private readonly uow: UnitOfWork,
    private readonly given: Call,
    private readonly series: PlaceRow,
    private readonly parent: PlaceRow,
    private readonly reason: string,
  ) {}

  async split() {
    const { uow } = this;
    const { body, access, person } = this.given;
    const before = await store.liveUnder(uow, this.series.id, access.sets('discover'));
    const { wanted, chosen, frozen } = await this.find();
    const folders = await store.foldersOf(uow, this.series.id);
    const steps = splitSteps(
      folders.map((f) => ({
        id: f.id,
        parentId: f.parent_id === this.series.id ? null : f.parent_id,
        live: f.live,
        wanted: countsOf(wanted.get(f.id) ?? []),
        chosen: chosen.get(f.id) ?? null,
      })),
    );
    await addReorganisation(uow, { id: uuidv7(), by: person.id, reason: this.reason });
    for (const part of body.parts) {
      const code = await freeCode(uow, part.code, 'series', this.parent.id);
      await requireNotBefore(uow, access, { code, kind: 'series', parentId: this.parent.id }, body.again);
      const made = await this.twin(this.series, this.parent, code, part.title);
      this.parts.push({ place: made, twins: new Map([[this.series.id, made]]), records: new Map(), folders: 0, divided: 0 });
    }
    const whole = new Set<string>();
    const declared = await this.carryFolders(steps, new Map(folders.map((f) => [f.id, f.parent_id])), whole);
    for (const [placeId, rows] of wanted) {
      if (whole.has(placeId)) continue;
      for (const { part, row } of rows) {
        const to = this.parts[part]!;
        const twin = to.twins.get(placeId);
        if (twin) to.records.set(twin.id, [...(to.records.get(twin.id) ?? []), row]);
      }
    }
    for (const part of this.parts) for (const one of await this.carryRecords(part)) declared.push(one);
    const answer = {
      parts: await Promise.all(
        this.parts.map(async ({ place, folders: moved, divided }) => ({
          placeId: this.given.trial ? null : place.id,
          code: place.code,
          title: place.title,
          folders: moved,
          divided,
          records: await store.liveUnder(uow, place.id, access.sets('discover')),
        })),
      ),
      stays: await store.liveUnder(uow, this.series.id, access.sets('discover')),
      declared: declared.length,
      frozen,
    };
    if (before === answer.stays && answer.parts.every((p) => p.folders === 0))
      throw new Problem(409, 'nothing-to-split', message('plan.nothingToSplit', { code: this.series.code }));
    return { answer, parts: this.parts };
  }

  /** Which records each part wants, by the place that they are in, and which folders it was given; the first part that wants something has it. */
  private async find() {
    const { body, access, person } = this.given;
    const sets = access.sets('dispose');
    const wanted = new Map<string, { part: number; row: store.SplitRecordRow }[]>();
    const chosen = new Map<string, number>();
    const seen = new Set<string>();
    let frozen = 0;
    for (const [part, { which }] of body.parts.entries()) {
      if (which.by === 'list') {
        const folders = await placesByIds(this.uow, which.folderIds);
        for (const id of which.folderIds) {
          const folder = folders.find((f) => f.id === id);
          // What may not be known of answers as what is not there.
          const known = folder !== undefined && hasRight(access.on(folder.access_set_id).all, 'discover');
          if (!known || folder.kind !== 'folder' || !folder.ancestors.includes(this.series.id))
            throw wrongField(`/parts/${part}/which`, message('plan.folderNotInSeries', { code: this.series.code }));
          if (!(await mayDoTo(this.uow, placeKind, folder, 'dispose', person, access))) throw notAllowed('dispose', keepers);
          if (!chosen.has(id)) chosen.set(id, part);
        }
      } else requireNamable(access, which.criteria);
      const found =
        which.by === 'list'
          ? await store.numberedIn(this.uow, this.series.id, which.numbers, sets)
          : await store.matchingUnder(this.uow, this.series.id, resolveCriteria(which.criteria, civilDate(person.today)), sets);
      for (const row of found) {
        if (seen.has(row.id)) continue;
        seen.add(row.id);
        if (row.frozen) frozen++;
        else wanted.set(row.place_id, [...(wanted.get(row.place_id) ?? []), { part, row }]);
      }
    }
    return { wanted, chosen, frozen };
  }

  /** Moves folders and makes those again that are divided; gives the declared records that leave with a folder. */
  private async carryFolders(
    steps: readonly SplitStep[],
    parentOf: ReadonlyMap<string, string>,
    whole: Set<string>,
  ): Promise<store.SplitRecordRow[]> {
    const { uow } = this;
    const to = new Map(steps.flatMap((s) => (s.what === 'moves' ? [[s.folderId, this.parts[s.part]!.place.code] as const] : [])));
    const staying = await store.stayingInFolders(uow, [...to.keys()]);
    if (staying.some((r) => r.frozen)) throw new Problem(409, 'frozen-inside', message('plan.frozenInside', { code: this.series.code }));
    for (const step of steps) {
      const folder = (await placeById(uow, step.folderId))!;
      const around = parentOf.get(folder.id)!;
      if (step.what === 'divided') {
        for (const at of step.parts) {
          const part = this.parts[at]!;
          part.twins.set(folder.id, await this.twin(folder, part.twins.get(around)!, folder.code, folder.title));
          part.divided++;
        }
        continue;
      }
      const part = this.parts[step.part]!;
      const into = part.twins.get(around)!;
      await moveUnder(uow, folder, into, part.place.id);
      part.folders++;
      this.uow.enter({
        act: 'moved a place',
        subject: placeKind.subject(folder),
        before: { in: this.series.code },
        after: { in: part.place.code },
        note: this.reason,
      });
    }
    /** Where what lies in a folder went with one that moved; undefined where none did. */
    const toOf = (placeId: string): string | undefined => {
      for (let at: string | undefined = placeId; at !== undefined; at = parentOf.get(at)) if (to.has(at)) return to.get(at);
      return undefined;
    };
    for (const id of parentOf.keys()) if (toOf(id) !== undefined) whole.add(id);
    for (const row of staying) this.enterMoved(row, toOf(row.place_id)!);
    return staying;
  }

  private async carryRecords(part: Part): Promise<store.SplitRecordRow[]> {
    const all = [...part.records.values()].flat();
    for (const [twinId, rows] of part.records) {
      const twin = (await placeById(this.uow, twinId))!;
      await putRecordsIn(
        this.uow,
        rows.map((r) => r.id),
        twin,
      );
      for (const row of rows) this.enterMoved(row, part.place.code);
    }
    return all.filter((r) => r.state === 'declared');
  }

  private enterMoved({ id, number, title }: store.SplitRecordRow, to: string): void {
    this.uow.enter({
      act: 'moved',
      subject: { kind: 'record', id, name: `${number} ${title}` },
      before: { series: this.series.code },
      after: { series: to },
      note: this.reason,
    });
  }

  /** A place arranged as another one is. */
  private async twin(of: PlaceRow, parent: PlaceRow, code: string, title: string): Promise<PlaceRow> {
    const { uow } = this;
    const { person } = this.given;
    const id = uuidv7();
    const grants = await store.grantsOn(uow, of.id);
    const set = async (anchorPlace: string): Promise<number> =>
      getOrMakeSet(uow, { anchorPlace, recordId: null, level: of.marking_level, caveats: of.marking_caveats, tags: [] });
    // What is counted here is counted by access as it was before: a set of its own comes with its first grant.
    const around = await anchorOf(uow, parent.id);
    await store.addTwin(uow, {
      id,
      of: of.id,
      parentId: parent.id,
      ancestors: [...parent.ancestors, id],
      code,
      title,
      accessSetId: await set(around),
      position: of.position,
    });
    uow.enter({
      act: of.kind === 'series' ? 'made a series' : 'made a folder',
      subject: { kind: 'place', id, name: `${code} ${title}` },
      after: { parent: parent.code, of: of.code },
      note: this.reason,
    });
    if ((of.stand_alone || of.access_tags.length > 0) && grants.length === 0) await store.setAccess(uow, id, await set(id));
    for (const { principal_id: principalId, profile, from_on: from, until_on: until, reason } of grants)
      await placeGrant(uow, {
        principalId,
        placeId: id,
        profile,
        reason,
        ...(from === null ? {} : { from }),
        ...(until === null ? {} : { until }),
      });
    const events = await store.eventsOn(uow, of.id);
    if (events.length > 0) {
      await addEvents(
        uow,
        events.map((event) => ({ ...event, id: uuidv7(), placeId: id, recordId: null, corrects: null })),
        person.id,
        uow.at,
      );
      uow.enterAll(
        events.map((event) => ({
          act: 'recorded an event',
          subject: { kind: 'place', id, name: `${code} ${title}` },
          after: event,
          note: this.reason,
        })),
      );
    }
    return (await placeById(uow, id))!;
  }
}

function countsOf(rows: readonly { readonly part: number }[]): Map<number, number> {
  const counts = new Map<number, number>();
  for (const { part } of rows) counts.set(part, (counts.get(part) ?? 0) + 1);
  return counts;
}
