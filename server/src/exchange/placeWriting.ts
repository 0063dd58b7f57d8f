import type { ItemOf } from '@key-cellar/contract';
import { dominates, hasRight, markingWords, profileWords, type Profiles } from '@key-cellar/core/access';
import { codePattern, kindsInside, kindWords, moveRefusal, refusesInside, shutOn, type PlaceStanding } from '@key-cellar/core/plan';
import { canonicalJson } from '@key-cellar/core/ledger';
import { factProblems, filledFacts } from '@key-cellar/core/records';
import { message, type Message } from '@key-cellar/words';
import { getOrMakeSet, loadProfiles, markingOfPlace, markPlace, placeGrant, settleAnchor } from '../access/index.js';
import { recordTypes } from '../facts/index.js';
import {
  addRule,
  dropFormerCode,
  factsOfAllTypes,
  formerHoldersOf,
  keepFormerCode,
  lockPlaces,
  lockPlan,
  madeActs,
  markGrant,
  moveUnder,
  placeById,
  planPlaces,
  removeRule,
  requireMovableRecords,
  standingOf,
  writeStandAlone,
  type PlaceRow,
} from '../plan/index.js';
import { numberingById, requireApart } from '../records/index.js';
import { changedMeanwhile } from '../kernel/index.js';
import { addPair, removePair } from '../schedule/index.js';
import { attempt, wrong, type Bringing, type Change } from './bringing.js';
import * as placeStore from './placeStore.js';
import * as store from './store.js';

type Item = ItemOf<'places'>;
type PlaceChange = Change<Item>;
type Field = keyof Item;

const tagsOf = (item: Item | null): string[] => [...new Set(item?.accessTags)].sort();

/** Fields that due dates may follow from. */
const dating: ReadonlySet<string> = new Set<Field>(['inside', 'jurisdictions', 'rules', 'pairs', 'openedOn', 'closedOn', 'facts']);
/** Writes places: all that are new at once, the others one by one where more than their own row changes. */
export const writePlaces = (b: Bringing, changes: readonly PlaceChange[]): Promise<void> => new PlaceWriting(b, changes).write();

class PlaceWriting {
  /** All places as they become, by id. */
  private readonly byId = new Map<string, PlaceRow>();
  private anchors = new Map<number, string>();
  /** Which place has a code now: anywhere in the plan, or of a folder beside it. */
  private readonly codes = new Map<string, string>();
  private readonly today: string;

  constructor(
    private readonly b: Bringing,
    private readonly changes: readonly PlaceChange[],
  ) {
    this.today = b.uow.actor.today;
  }

  private bad(change: PlaceChange, field: Field, sentence: Message): void {
    wrong(this.b, 'places', change, field, sentence);
  }

  async write(): Promise<void> {
    const { uow } = this.b;
    if (this.changes.length === 0) return;
    await lockPlan(uow);
    await this.requireUnchanged();
    for (const p of await planPlaces(uow)) {
      this.byId.set(p.id, p);
      this.codes.set(codeKey(p.kind, p.parent_id, p.code), p.id);
    }
    this.anchors = new Map((await placeStore.setAnchors(uow)).map((s) => [s.id, s.anchor_place]));
    await this.check();
    await this.warnOfFormer();
    const added = this.changes.filter((c) => c.before === null);
    const inOrder = this.outsideIn(added);
    // With anything wrong nothing is kept; what would be written could only fail for reasons that are told already.
    if (this.b.errors.length > 0) return;
    await this.add(inOrder);
    await this.changeAll(this.changes.filter((c) => c.before !== null));
    await this.checkNumbering();
    // A new place is empty; what moves into it is touched itself.
    for (const { before, taken, id } of this.changes)
      if (before !== null && taken.some((field) => dating.has(field))) this.b.touched.places.add(id);
  }

  /** What was merged must still be so under the lock, or somebody’s change would be written over. */
  private async requireUnchanged(): Promise<void> {
    const before = new Map(this.changes.flatMap((c) => (c.before === null ? [] : [[c.id, c.before] as const])));
    const locked = await lockPlaces(this.b.uow, [...before.keys()]);
    if (locked.some((row) => !isStill(row, before.get(row.id)!))) throw changedMeanwhile();
  }

  /** New places, each after the one around it; those whose place around is nowhere are told. */
  private outsideIn(added: readonly PlaceChange[]): PlaceChange[] {
    const waiting = new Map(added.map((c) => [c.id, c]));
    const sorted: PlaceChange[] = [];
    const visit = (change: PlaceChange): void => {
      if (!waiting.delete(change.id)) return;
      const around = change.after.inside === null ? undefined : waiting.get(change.after.inside);
      if (around) visit(around);
      sorted.push(change);
    };
    for (const change of added) visit(change);
    return sorted;
  }

  private async check(): Promise<void> {
    const { uow } = this.b;
    const rules = new Set(this.changes.flatMap((c) => [...c.after.rules, ...c.after.pairs.map((p) => p.rule)]));
    const [published, types, definitions, jurisdictions] = [
      await placeStore.publishedAmong(uow, [...rules]),
      new Set((await recordTypes(uow)).map((t) => t.code)),
      await factsOfAllTypes(uow),
      new Set((await store.jurisdictions(uow)).map((j) => j.name)),
    ];
    const coming = new Map(this.changes.map((c) => [c.id, c]));
    const profiles = await loadProfiles(this.b.uow);
    const kindOf = (id: string): Item['kind'] | undefined => coming.get(id)?.after.kind ?? this.byId.get(id)?.kind;
    const codes = new Map<string, PlaceChange>();
    for (const change of this.changes) {
      const { after, before, id } = change;
      const has = (field: Field): boolean => change.taken.includes(field);
      if (before && before.kind !== after.kind) {
        this.bad(change, 'kind', message('plan.table.staysItsKind', { path: before.path, kind: kindWords(before.kind) }));
        continue;
      }
      if (after.kind === 'repository') {
        if (!before) this.bad(change, 'kind', message('plan.table.kind', { kind: after.kind }));
      } else {
        if (!codePattern.test(after.code)) this.bad(change, 'code', message('plan.table.code', { code: after.code }));
        const parent = after.inside === null ? undefined : kindOf(after.inside);
        if (parent === undefined) this.bad(change, 'inside', message('tables.missing'));
        else if (!kindsInside(parent).some((k) => k === after.kind))
          this.bad(change, 'inside', message('plan.cannotBeInside', { kind: after.kind, parent }));
      }
      const key = after.kind === 'folder' ? `${after.inside} ${after.code}` : after.code;
      const twice = codes.get(key);
      if (twice && after.kind !== 'repository') this.bad(change, 'code', message('plan.existsAlready', { code: after.code }));
      codes.set(key, change);
      for (const rule of after.rules) {
        if (!before?.rules.includes(rule) && !published.has(rule))
          this.bad(change, 'rules', message('plan.table.noRule', { rule: this.ruleCode(rule) }));
      }
      for (const pair of after.pairs) {
        if (!types.has(pair.recordType)) this.bad(change, 'pairs', message('plan.thereNoRecordType', { unknown: pair.recordType }));
        if (!published.has(pair.rule)) this.bad(change, 'pairs', message('plan.table.noRule', { rule: this.ruleCode(pair.rule) }));
      }
      if (after.pairs.length > 0 && after.kind !== 'series') this.bad(change, 'pairs', message('schedule.noSeries'));
      for (const name of after.jurisdictions)
        if (!jurisdictions.has(name)) this.bad(change, 'jurisdictions', message('tables.noJurisdiction', { name }));
      for (const type of [
        ...(after.takes?.types ?? []),
        ...after.readyTitles.flatMap((t) => (t.recordType === null ? [] : [t.recordType])),
      ]) {
        if (!types.has(type)) this.bad(change, 'takes', message('plan.thereNoRecordType', { unknown: type }));
      }
      if (has('facts')) {
        for (const problem of factProblems(definitions, filledFacts(after.facts), before?.facts))
          this.bad(change, 'facts', problem.sentence);
      }
      if (after.closedOn !== null && after.kind !== 'folder' && has('closedOn')) this.bad(change, 'closedOn', message('plan.notAFolder'));
      if (after.closedOn !== null && after.closedOn < after.openedOn)
        this.bad(
          change,
          has('openedOn') && !has('closedOn') ? 'openedOn' : 'closedOn',
          message('plan.closingOn', { on: { day: after.closedOn } }),
        );
      if (after.retiredOn !== null && after.retiredOn > this.today) this.bad(change, 'retiredOn', message('exchange.notAhead'));
      if (has('grants')) this.checkGrants(change, profiles);
      if (has('accessTags')) this.checkTags(change);
      if (has('marking') || has('inside')) await this.checkMarking(change, coming);
      this.checkShut(change, coming);
      this.checkStep(change, id);
    }
  }

  /** Schemes that came to be in use, looked at once all of them are. */
  private async checkNumbering(): Promise<void> {
    const { uow } = this.b;
    const first = new Map<string, PlaceChange>();
    for (const change of this.changes) {
      const { numbering } = change.after;
      if (numbering !== null && change.taken.includes('numbering') && !first.has(numbering)) first.set(numbering, change);
    }
    for (const [id, change] of first) {
      const numbering = (await numberingById(uow, id))!;
      await attempt(this.b, 'places', change, 'numbering', () => requireApart(uow, numbering, '/numbering'));
    }
  }

  private ruleCode(id: string): string {
    return this.b.names.nameOf(id)?.to ?? id;
  }

  /** Nobody gives through a package, or takes away, more than they have themselves. */
  private checkGrants(change: PlaceChange, profiles: Profiles): void {
    const texts = (item: Item | null): Set<string> => new Set(item?.grants.map((g) => JSON.stringify(g)));
    const [had, has] = [texts(change.before), texts(change.after)];
    for (const grant of [...change.after.grants, ...(change.before?.grants ?? [])]) {
      const text = JSON.stringify(grant);
      if (had.has(text) && has.has(text)) continue;
      if (grant.from !== null && grant.until !== null && grant.until < grant.from)
        this.bad(change, 'grants', message('exchange.grantEnds'));
      const given = profiles.get(grant.profile);
      if (!given) {
        this.bad(change, 'grants', message('plan.sound.noProfile'));
        continue;
      }
      const more = given.rights & ~this.b.rights;
      if (more !== 0 && !this.b.may('setUp')) this.bad(change, 'grants', message('exchange.grantsMore', { profile: profileWords(given) }));
    }
  }

  /** Tags let in whoever was given access by them, so that whoever sets up puts them on. */
  private checkTags(change: PlaceChange): void {
    const { before, after } = change;
    if (canonicalJson(tagsOf(before)) === canonicalJson(tagsOf(after))) return;
    if (after.kind === 'repository') this.bad(change, 'accessTags', message('access.repositoryTags'));
    else if (!this.b.may('setUp')) this.bad(change, 'accessTags', message('exchange.tagsNeedSetUp'));
  }

  /** Nothing is marked less than what it lies in, nor beyond what whoever brings it is cleared for. */
  private async checkMarking(change: PlaceChange, coming: ReadonlyMap<string, PlaceChange>): Promise<void> {
    const { inside, marking } = change.after;
    if (!change.taken.includes('marking') && !change.said.includes('marking')) return;
    if (!dominates(this.b.person.clearance, marking) && !this.b.may('setUp'))
      this.bad(change, 'marking', message('access.markedBeyondYou', { marking: markingWords(marking) }));
    if (inside === null) return;
    const other = coming.get(inside);
    const around = other?.said.includes('marking')
      ? other.after.marking
      : this.byId.has(inside)
        ? await markingOfPlace(this.b.uow, inside)
        : null;
    if (around && !dominates(marking, around))
      this.bad(change, 'marking', message('access.markedAround', { marking: markingWords(around) }));
  }

  /** Nothing that is open comes into what is shut. */
  private checkShut(change: PlaceChange, coming: ReadonlyMap<string, PlaceChange>): void {
    const { after, before } = change;
    if (after.inside === null || (before && !change.taken.includes('inside'))) return;
    if (shutOn(after, this.today) === 'retired' || shutOn(after, this.today) === 'closed') return;
    // Places that are to be in each other are told as such: their way has no end.
    const seen = new Set([change.id]);
    for (let at: string | null = after.inside; at !== null;) {
      if (seen.has(at)) {
        this.bad(change, 'inside', message('plan.placeCannotMovedInto'));
        return;
      }
      seen.add(at);
      const other: Item | undefined = coming.get(at)?.after;
      const row = this.byId.get(at);
      const standing: PlaceStanding | undefined = other ? { ...other, id: at, ancestors: [] } : row && standingOf(row);
      const refusal = standing && refusesInside(standing, this.today);
      if (refusal) {
        this.bad(change, 'inside', refusal);
        return;
      }
      at = other ? other.inside : (row?.parent_id ?? null);
    }
  }

  /** A new code, and another place around: by the same rules as for one by hand. */
  private checkStep(change: PlaceChange, id: string): void {
    const { after, before } = change;
    if (after.inside === null) return;
    const recoded = before?.code !== after.code;
    const moved = before !== null && before.inside !== after.inside;
    if (!recoded && !moved) return;
    const holder = this.codes.get(codeKey(after.kind, after.inside, after.code));
    if (holder !== undefined && holder !== id) this.bad(change, 'code', message('plan.codeAnotherPlace', { code: after.code }));
  }

  /** Codes that are given, and were another place’s before: what refers to that place by the code still leads there. */
  private async warnOfFormer(): Promise<void> {
    const given = this.changes.filter((c) => c.after.inside !== null && c.taken.includes('code'));
    const holders = await formerHoldersOf(this.b.uow, [...new Set(given.map((c) => c.after.code))]);
    for (const { id, after, name, row } of given) {
      const isFolder = after.kind === 'folder';
      const holder = holders.find(
        (h) => h.held === after.code && h.id !== id && (h.kind === 'folder') === isFolder && (!isFolder || h.around === after.inside),
      );
      if (!holder) continue;
      const { code } = after;
      const sentence = hasRight(this.b.access.on(holder.access_set_id).all, 'discover')
        ? message('exchange.codeBefore', { code, place: `${holder.code} ${holder.title}`, until: { day: holder.until } })
        : message('exchange.codeBeforeElsewhere', { code });
      this.b.warnings.push({ section: 'places', name, row, field: 'code', sentence });
    }
  }

  private anchorOf(place: PlaceRow): string {
    return this.anchors.get(place.access_set_id)!;
  }

  private async add(added: readonly PlaceChange[]): Promise<void> {
    const { uow } = this.b;
    let position = Math.max(0, ...[...this.byId.values()].map((p) => p.position));
    const sets = new Map<string, number>();
    const setOf = async (anchorPlace: string, level: number, caveats: readonly string[]): Promise<number> => {
      const key = JSON.stringify([anchorPlace, level, caveats]);
      const known = sets.get(key);
      if (known !== undefined) return known;
      const id = await getOrMakeSet(uow, { anchorPlace, recordId: null, level, caveats, tags: [] });
      sets.set(key, id);
      this.anchors.set(id, anchorPlace);
      return id;
    };
    const markings = new Map<string, { level: number; caveats: readonly string[] }>();
    const rows: placeStore.AddedPlace[] = [];
    for (const { id, after, said } of added) {
      const parent = this.byId.get(after.inside!)!;
      // What a table does not say a new place has from the one around it.
      const around = markings.get(parent.id) ?? (await markingOfPlace(uow, parent.id));
      const marking = said.includes('marking') ? after.marking : around;
      markings.set(parent.id, around).set(id, marking);
      const own = after.kind !== 'folder' || after.standAlone || after.grants.length > 0 || after.accessTags.length > 0;
      const access_set_id = await setOf(own ? id : this.anchorOf(parent), marking.level, marking.caveats);
      const row = {
        ...this.written(id, after),
        kind: after.kind,
        parent_id: parent.id,
        ancestors: [...parent.ancestors, id],
        code: after.code,
        position: ++position,
        stand_alone: after.standAlone,
        marking_level: marking.level,
        marking_caveats: marking.caveats,
        access_set_id,
        declare_on: said.includes('declareOn') ? after.declareOn : parent.declare_on,
        frozen_when_declared: said.includes('frozenWhenDeclared') ? after.frozenWhenDeclared : parent.frozen_when_declared,
      };
      rows.push(row);
      this.byId.set(id, { ...row, revision: 1 } as unknown as PlaceRow);
      uow.enter({
        act: madeActs[after.kind as 'folder'],
        subject: { kind: 'place', id, name: `${after.code} ${after.title}` },
        after: { parent: parent.code, note: after.note, rules: after.rules.map((rule) => this.ruleCode(rule)) },
        note: 'from a table or package',
      });
    }
    await placeStore.addPlaces(uow, rows);
    await placeStore.addRules(
      uow,
      added.flatMap((c) => c.after.rules.map((rule_id) => ({ place_id: c.id, rule_id }))),
    );
    await placeStore.addFormerCodes(
      uow,
      added.flatMap((c) => c.after.formerCodes.map((f) => ({ place_id: c.id, parent_id: c.after.inside!, ...f }))),
    );
    for (const { id, after } of added) {
      for (const pair of after.pairs) await addPair(uow, { recordType: pair.recordType, seriesId: id, ruleId: pair.rule });
      for (const grant of after.grants) await this.grant(id, grant);
    }
  }

  private async grant(placeId: string, grant: Item['grants'][number]): Promise<void> {
    const { principal: principalId, profile: named, from, until, reason, stencil } = grant;
    const days = { ...(from === null ? {} : { from }), ...(until === null ? {} : { until }) };
    const made = await placeGrant(this.b.uow, { principalId, placeId, profile: named, reason, ...days });
    if (stencil !== null) await markGrant(this.b.uow, made, stencil);
  }

  private written(id: string, item: Item): placeStore.WrittenPlace {
    return {
      id,
      title: item.title,
      note: item.note,
      not_here: item.notHere,
      message: item.message,
      opened_on: item.openedOn,
      closed_on: item.closedOn,
      retired_on: item.retiredOn,
      jurisdictions: item.jurisdictions,
      numbering_id: item.numbering,
      takes: item.takes,
      facts: item.facts,
      ready_titles: item.readyTitles,
      declare_on: item.declareOn,
      frozen_when_declared: item.frozenWhenDeclared,
      reader_on_pages: item.readerOnPages,
      access_tags: [...new Set(item.accessTags)].sort(),
      stencil_id: item.madeFrom?.stencil ?? null,
      stencil_version: item.madeFrom?.version ?? null,
      stencil_key: item.madeFrom?.key ?? null,
      stencil_words: item.madeFrom?.words ?? null,
    };
  }

  private async changeAll(changed: readonly PlaceChange[]): Promise<void> {
    const { uow, services } = this.b;
    for (const change of changed) {
      const has = (...fields: Field[]): boolean => fields.some((field) => change.taken.includes(field));
      const { id, before, after } = change as PlaceChange & { before: Item };
      await attempt(this.b, 'places', change, 'inside', () => this.moveOne(change));
      if (has('code') && after.inside !== null) {
        const row = (await placeById(uow, id))!;
        await keepFormerCode(uow, { ...row, code: before.code }, this.today);
        await dropFormerCode(uow, id, after.code);
        await placeStore.writeCode(uow, id, after.code);
      }
      if (has('formerCodes') && after.inside !== null) {
        const own = after.formerCodes.filter((f) => f.code !== after.code);
        await placeStore.addFormerCodes(
          uow,
          own.map((f) => ({ place_id: id, parent_id: after.inside!, ...f })),
        );
      }
      await placeStore.writePlaces(uow, [this.written(id, after)]);
      await this.changeRules(change, before);
      await this.changeAccess(change);
      this.enter(change, before);
      if (has('closedOn') && after.closedOn !== null && after.closedOn <= this.today && after.declareOn === 'folderClosed')
        await services.events.tell(uow, 'folderClosed', { placeId: id });
    }
  }

  private async moveOne(change: PlaceChange): Promise<void> {
    const { id, after, taken } = change;
    if (!taken.includes('inside') || after.inside === null) return;
    const { uow } = this.b;
    const [place, parent] = [(await placeById(uow, id))!, (await placeById(uow, after.inside))!];
    const refusal = moveRefusal(standingOf(place), standingOf(parent), this.today);
    if (refusal) return this.bad(change, 'inside', refusal);
    const series = parent.ancestors.map((a) => this.byId.get(a)).find((p) => p?.kind === 'series')?.id ?? null;
    if (place.kind === 'folder') await requireMovableRecords(uow, place, series, false);
    await keepFormerCode(uow, place, this.today);
    await moveUnder(uow, place, parent, place.kind === 'folder' ? series : null);
  }

  private async changeRules({ id, after }: PlaceChange, before: Item): Promise<void> {
    const { uow } = this.b;
    for (const rule of after.rules) if (!before.rules.includes(rule)) await addRule(uow, id, rule);
    for (const rule of before.rules) if (!after.rules.includes(rule)) await removeRule(uow, id, rule);
    const same = (a: Item['pairs'][number], c: Item['pairs'][number]): boolean => a.recordType === c.recordType && a.rule === c.rule;
    for (const pair of after.pairs)
      if (!before.pairs.some((p) => same(p, pair))) await addPair(uow, { recordType: pair.recordType, seriesId: id, ruleId: pair.rule });
    for (const pair of before.pairs)
      if (!after.pairs.some((p) => same(p, pair))) await removePair(uow, { recordType: pair.recordType, seriesId: id, ruleId: pair.rule });
  }

  /** Grants, tags, whether it stands alone, and its marking: each moves the access of what is in it. */
  private async changeAccess({ id, after, taken }: PlaceChange): Promise<void> {
    const { uow } = this.b;
    if (taken.includes('grants')) {
      const key = (g: Item['grants'][number]): string => JSON.stringify([g.principal, g.profile, g.from, g.until, g.reason, g.stencil]);
      const wanted = new Set(after.grants.map(key));
      const had = new Set<string>();
      for (const grant of await placeStore.grantsOn(uow, id)) {
        const at = key(grant as Item['grants'][number]);
        had.add(at);
        // Whoever brings a plan does not shut themselves out of it.
        if (wanted.has(at) || (after.inside === null && grant.principal === uow.actor.id)) continue;
        await placeStore.dropGrant(uow, grant.id);
        uow.enter({
          act: 'took a grant back',
          subject: { kind: 'place', id, name: `${after.code} ${after.title}` },
          before: { principal: grant.principal, profile: grant.profile, from: grant.from, until: grant.until },
          note: 'from a table or package',
        });
      }
      for (const grant of after.grants.filter((g) => !had.has(key(g)))) await this.grant(id, grant);
    }
    if (taken.includes('standAlone')) await writeStandAlone(uow, id, after.standAlone);
    if (['grants', 'standAlone', 'accessTags'].some((field) => taken.includes(field))) await settleAnchor(uow, id);
    if (taken.includes('marking')) {
      await markPlace(uow, id, after.marking);
    }
  }

  /** What the ledger says of it: each thing under the name that it has when it is done by hand. */
  private enter({ id, after, taken }: PlaceChange, before: Item): void {
    const subject = { kind: 'place', id, name: `${after.code} ${after.title}` };
    const note = 'from a table or package';
    const enter = (act: string, was: unknown, is: unknown): void => this.b.uow.enter({ act, subject, before: was, after: is, note });
    const { closedOn, retiredOn } = after;
    if (taken.includes('closedOn'))
      enter(closedOn !== null ? 'closed a folder' : 'opened a folder again', { closedOn: before.closedOn }, { closedOn });
    if (taken.includes('retiredOn'))
      enter(retiredOn !== null ? 'retired a place' : 'brought a place back', { retiredOn: before.retiredOn }, { on: retiredOn });
    if (taken.includes('inside')) enter('moved a place', { in: before.inside }, { in: after.inside });
    if (taken.includes('code')) enter('renumbered a place', { code: before.code }, { code: after.code });
    if (taken.includes('accessTags')) {
      const names = (item: Item): string[] => tagsOf(item).map((tag) => this.b.names.nameOf(tag)?.to ?? tag);
      enter('changed access tags', { tags: names(before) }, { tags: names({ ...before, accessTags: after.accessTags }) });
    }
    const own = new Set<string>(['closedOn', 'retiredOn', 'inside', 'code', 'grants', 'accessTags']);
    const others = taken.filter((field) => !own.has(field));
    if (others.length > 0) enter('changed a place', picked(before, others), picked(after, others));
  }
}

const codeKey = (kind: string, parentId: string | null, code: string): string => (kind === 'folder' ? `${parentId} ${code}` : code);

/** Whether a place is as it was when it was read, in all that is written whole. */
function isStill(row: PlaceRow, item: Item): boolean {
  const now = [
    row.title,
    row.note,
    row.not_here,
    row.message,
    row.opened_on,
    row.closed_on,
    row.retired_on,
    row.numbering_id,
    row.parent_id,
    row.code,
    row.reader_on_pages,
    row.access_tags.join(),
  ];
  const then = [
    item.title,
    item.note,
    item.notHere,
    item.message,
    item.openedOn,
    item.closedOn,
    item.retiredOn,
    item.numbering,
    item.inside,
    item.code,
    item.readerOnPages,
    tagsOf(item).join(),
  ];
  const whole = (list: readonly unknown[], jurisdictions: readonly string[], facts: unknown, takes: unknown): string =>
    canonicalJson([list, [...jurisdictions].sort(), facts, takes]);
  return whole(now, row.jurisdictions, row.facts, row.takes) === whole(then, item.jurisdictions, item.facts, item.takes);
}

const picked = (item: Item, fields: readonly string[]): Record<string, unknown> =>
  Object.fromEntries(fields.map((field) => [field, item[field as Field]]));
