import { civilDate, parseCivilDate } from '@key-cellar/core/calendar';
import { clausesOf, criteriaToSql } from '@key-cellar/core/criteria';
import {
  actionOf,
  compileGoverning,
  dateSlots,
  effectTally,
  standingOf,
  unknownDay,
  type DateSlots,
  type Effect,
  type EventOccurrence,
  type FastVerdict,
  type Outcome,
  type RecordDate,
  type RuleCandidate,
  type RuleVersion,
  type Standing,
} from '@key-cellar/core/schedule';
import pg from 'pg';
import { to as copyTo } from 'pg-copy-streams';
import {
  candidateByCriteria,
  candidatesForPair,
  candidatesOnPlaces,
  eventsOnChain,
  folderClosedOn,
  judge,
  jurisdictionsOf,
} from './evaluation.js';
import { ruleBookOf, type CriteriaRule, type RuleBook, type RuleBookData } from './ruleBook.js';
import * as store from './store.js';

/** A place as the effect needs it. */
export interface EffectPlace extends store.ChainPlace {
  readonly parent_id: string | null;
}

/** What a change does to the plan: where things would stand, and what places would say. */
export interface PlanChange {
  /** A place under another. */
  readonly moved: { readonly placeId: string; readonly parentId: string } | null;
  /** All that is in one place in another. */
  readonly merged: { readonly placeId: string; readonly intoId: string } | null;
  /** A place as it would be. */
  readonly changed: EffectPlace | null;
}

/** Pages of the table of records, from one up to another; null: to the end, however long the table has become. */
export interface PageRange {
  readonly from: number;
  readonly until: number | null;
}

/** All that decides what becomes of records; each thread gets it once, and then one range of pages after another. */
export interface EffectPart {
  readonly url: string;
  /** The snapshot that all threads read, so that together they see each record once. */
  readonly snapshot: string;
  readonly today: string;
  /** The day on which the change counts. */
  readonly afterDay: string;
  readonly before: RuleBookData;
  readonly after: RuleBookData;
  readonly places: readonly EffectPlace[];
  readonly plan: PlanChange;
  readonly events: readonly { readonly placeId: string; readonly type: string; readonly on: string }[];
  /** Records with events of their own. */
  readonly withEvents: readonly string[];
  readonly sets: readonly number[];
  /** A rule whose next version is tried; records that follow it by hand are judged one by one. */
  readonly ruleId: string | null;
}

const perProgress = 25_000;
const outcomes: readonly Outcome[] = ['dated', 'waiting', 'permanent', 'unscheduled'];
const actions = [null, 'destroy', 'transfer'] as const;
/** PostgreSQL counts binary dates from here. */
const dateBase = civilDate('2000-01-01');
/** Signature, flags and extension of a binary COPY (PostgreSQL, COPY, binary format). */
const headerLength = 19;
const slowAtOnce = 1000;

const dateColumns: Record<RecordDate, string> = {
  created: 'r.created_on',
  received: 'r.received_on',
  filed: 'r.filed_on',
  modified: 'r.modified_on',
  declared: 'r.declared_on',
  superseded: 'r.superseded_on',
  lastUsed: 'r.last_used_on',
};
const outcomeCode = `case r.outcome when 'dated' then 0 when 'waiting' then 1 when 'permanent' then 2 else 3 end`;
const actionCode = `case r.action when 'destroy' then 1 when 'transfer' then 2 else 0 end`;

/** More criteria than bits of an integer: the rest goes into further columns. */
const bitsAColumn = 30;

/** Flags packed into one integer. All bit operators of PostgreSQL bind alike, so each part stands in brackets. */
function packed(parts: readonly (readonly [string, number])[]): string {
  return `(${parts.map(([sql, shift]) => `((${sql})::int << ${shift})`).join(' | ')})`;
}

/** Criteria rules before and after, each with its bit in a record's masks, and the columns that the masks are. */
function criteriaMasks(part: EffectPart): { columns: string[]; before: number[]; after: number[] } {
  const bits = new Map<string, number>();
  const sql: string[] = [];
  const bitOf = (rule: CriteriaRule): number => {
    const key = JSON.stringify(rule.criteria);
    let bit = bits.get(key);
    if (bit === undefined) {
      bit = bits.size;
      bits.set(key, bit);
      sql.push(criteriaToSql(rule.criteria, (value, type) => `${pg.escapeLiteral(value)}::${type}`));
    }
    return bit;
  };
  const [before, after] = [part.before.criteriaRules.map(bitOf), part.after.criteriaRules.map(bitOf)];
  const columns: string[] = [];
  for (let i = 0; i < sql.length; i += bitsAColumn) columns.push(packed(sql.slice(i, i + bitsAColumn).map((s, bit) => [s, bit])));
  return { columns, before, after };
}

function selectOf(part: EffectPart, slots: DateSlots, masks: readonly string[]): (range: PageRange) => string {
  const columns = [
    // First what decides which rules are asked: taken together, these bytes are a key.
    'r.place_id',
    'r.record_type',
    `case when r.jurisdictions = '{}' then null else array_to_string(r.jurisdictions, chr(31)) end`,
    ...masks,
    packed([
      [outcomeCode, 0],
      [actionCode, 2],
      ['r.hold_count > 0', 4],
      [`r.docket = 'batch'`, 5],
      ['r.override is not null', 6],
      ['r.steps_taken is not null', 7],
    ]),
    'r.id',
    'r.rule_version_id',
    'r.clock_start',
    'r.due_on',
    'r.size',
    ...slots.dates.map((date) => dateColumns[date]),
    ...slots.facts.map((fact) => `r.facts->>${pg.escapeLiteral(fact)}`),
  ];
  return ({ from, until }) => `select ${columns.join(', ')} from record r
    where r.ctid >= '(${from},0)'::tid${until === null ? '' : ` and r.ctid < '(${until},0)'::tid`}
      and r.state <> 'disposed' and r.access_set_id = any ('{${part.sets.join(',')}}'::int[])`;
}

function uuidAt(buffer: Buffer, at: number): string {
  const hex = buffer.toString('hex', at, at + 16);
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
}
const uuidKey = (id: string): string => Buffer.from(id.replaceAll('-', ''), 'hex').toString('latin1');

/** What is the same for all records of one place, type, jurisdiction and set of matching criteria. */
interface Class {
  readonly series: string;
  /** Each record has to be judged by itself. */
  readonly slow: boolean;
  /** Null: the change does not reach them. */
  readonly after: ((dates: Int32Array, into: FastVerdict) => void) | null;
}

/** Works out the effect of a change on the records in the ranges that it is given, in one pass over them. */
export async function effectOfPart(
  part: EffectPart,
  nextRange: () => Promise<PageRange | null>,
  progress: (done: number) => void,
): Promise<Effect> {
  const [beforeBook, afterBook] = [ruleBookOf(part.before), ruleBookOf(part.after)];
  const places = new Map(part.places.map((p) => [p.id, p]));
  const placeByKey = new Map(part.places.map((p) => [uuidKey(p.id), p]));
  const { moved, merged, changed } = part.plan;
  const chainOf = (id: string): EffectPlace[] => {
    const chain: EffectPlace[] = [];
    for (let at: string | null = id; at !== null;) {
      const place = places.get(at);
      if (!place) break;
      chain.push(place);
      at = place.parent_id;
    }
    return chain;
  };
  const then = (id: string | null): string | null => (id !== null && id === merged?.placeId ? merged.intoId : id);
  /** The way outward as it would be. */
  const newChainOf = (id: string): EffectPlace[] => {
    const chain: EffectPlace[] = [];
    for (let at = then(id); at !== null;) {
      const place = changed?.id === at ? changed : places.get(at);
      if (!place) break;
      chain.push(place);
      at = then(moved?.placeId === at ? moved.parentId : place.parent_id);
    }
    return chain;
  };
  const wayChanges = new Set([moved?.placeId, merged?.placeId]);
  /** Criteria that ask for places must see the new way, which SQL does not know. */
  const asksForPlaces = part.after.criteriaRules.some((rule) => clausesOf(rule.criteria).some((c) => c.op === 'under'));
  const eventsBySubject = new Map<string, { type: string; happened_on: string }[]>();
  for (const { placeId, type, on } of part.events) {
    eventsBySubject.set(placeId, [...(eventsBySubject.get(placeId) ?? []), { type, happened_on: on }]);
  }
  const afterVersions = Object.values(part.after.versions).flat();
  const slots = dateSlots(afterVersions);
  const masksOf = criteriaMasks(part);
  const maskColumns = masksOf.columns.length;
  const rowsIn = selectOf(part, slots, masksOf.columns);
  const versionByKey = new Map(afterVersions.map((v) => [uuidKey(v.id), v]));
  const withEvents = new Set(part.withEvents);
  const ownDates = slots.dates.length;
  const afterDay = civilDate(part.afterDay);

  function candidates(chain: readonly EffectPlace[], type: string, masks: readonly number[], book: RuleBook, order: number[]): RuleCandidate[] {
    const series = chain.find((p) => p.kind === 'series');
    return [
      ...candidatesOnPlaces(chain, book),
      ...(series ? candidatesForPair(type, series.id, series.code, book) : []),
      ...book.criteriaRules.flatMap((rule, i) => {
        const bit = order[i]!;
        const matches = (masks[Math.floor(bit / bitsAColumn)]! >> bit % bitsAColumn) & 1;
        return matches ? [candidateByCriteria(rule, i, book)] : [];
      }),
    ];
  } // prettier-ignore

  const standing = (c: RuleCandidate): string => `${c.level} ${c.distance}`;
  function makeClass(placeKey: string, type: string, own: string | null, masks: readonly number[]): Class {
    const place = placeByKey.get(placeKey);
    if (!place) return { series: '', slow: false, after: null };
    const [chain, newChain] = [chainOf(place.id), newChainOf(place.id)];
    const before = candidates(chain, type, masks, beforeBook, masksOf.before);
    const after = candidates(newChain, type, masks, afterBook, masksOf.after);
    const names = own === null ? [] : own.split('\u001f');
    const jurisdictions = jurisdictionsOf(names, newChain, afterBook);
    const isMoved = chain.some((p) => wayChanges.has(p.id));
    const same =
      !isMoved &&
      !chain.some((p) => p.id === changed?.id) &&
      before.length === after.length &&
      before.every((b, i) => b.versions === after[i]!.versions && standing(b) === standing(after[i]!));
    const shared = { folderClosed: folderClosedOn(newChain), events: eventsOnChain(newChain, eventsBySubject) as EventOccurrence[] };
    return {
      series: chain.find((p) => p.kind === 'series')?.id ?? '',
      slow: isMoved && asksForPlaces,
      after: same ? null : compileGoverning(after, shared, jurisdictions, afterDay, slots),
    };
  }

  const tally = effectTally(civilDate(part.today));
  const classes = new Map<string, Class>();
  const dates = new Int32Array(slots.length);
  const verdict: FastVerdict = { outcome: 'unscheduled', rule: null, clockStart: 0, dueOn: 0 };
  const before = {
    outcome: 'dated' as Outcome,
    rule: null as RuleVersion | null,
    clockStart: 0,
    dueOn: 0,
    action: null as Standing['action'],
  };
  const after = { ...before };
  let row: Buffer = Buffer.alloc(0);
  let idAt = 0;
  const record = { series: '', bytes: 0, held: false, inBatch: false, id: () => uuidAt(row, idAt) };
  const slow = new Map<string, { standing: Standing; series: string; bytes: number; held: boolean; inBatch: boolean }>();
  let lastKey = '';
  let lastClass: Class | null = null;
  let done = 0;

  /** Reads one tuple at `start`; gives where it ends, or -1 when it is not all there yet. */
  function read(buffer: Buffer, start: number): number {
    if (start + 2 > buffer.length) return -1;
    const fields = buffer.readInt16BE(start);
    if (fields === -1) return buffer.length;
    let at = start + 2;
    const keyFrom = at;
    let keyUntil = at;
    let pack = 0;
    let versionAt = -1;
    const packField = 3 + maskColumns;
    for (let i = 0; i < fields; i++) {
      if (at + 4 > buffer.length) return -1;
      const length = buffer.readInt32BE(at);
      at += 4;
      if (at + Math.max(0, length) > buffer.length) return -1;
      const of = i - packField;
      if (of === 0) {
        keyUntil = at - 4;
        pack = buffer.readInt32BE(at);
      } else if (of === 1) idAt = at;
      else if (of === 2) versionAt = length < 0 ? -1 : at;
      else if (of === 3) before.clockStart = length < 0 ? unknownDay : buffer.readInt32BE(at) + dateBase;
      else if (of === 4) before.dueOn = length < 0 ? unknownDay : buffer.readInt32BE(at) + dateBase;
      else if (of === 5) record.bytes = buffer.readInt32BE(at) * 4_294_967_296 + buffer.readUInt32BE(at + 4);
      else if (of > 5) {
        const slot = of - 6;
        dates[slot] =
          length < 0
            ? unknownDay
            : slot < ownDates
              ? buffer.readInt32BE(at) + dateBase
              : (parseCivilDate(buffer.toString('utf8', at, at + length)) ?? unknownDay);
      }
      if (length > 0) at += length;
    }
    row = buffer;
    const key = buffer.toString('latin1', keyFrom, keyUntil);
    if (key !== lastKey) {
      let known = classes.get(key);
      if (!known) classes.set(key, (known = classOf(buffer, keyFrom)));
      lastKey = key;
      lastClass = known;
    }
    before.outcome = outcomes[pack & 3]!;
    before.action = actions[(pack >> 2) & 3]!;
    before.rule = versionAt < 0 ? null : (versionByKey.get(buffer.toString('latin1', versionAt, versionAt + 16)) ?? null);
    record.series = lastClass!.series;
    record.held = (pack & 16) !== 0;
    record.inBatch = (pack & 32) !== 0;
    tallyRow((pack & 64) !== 0, (pack & 128) !== 0, lastClass!);
    done += 1;
    if (done % perProgress === 0) progress(done);
    return at;
  }

  function classOf(buffer: Buffer, keyFrom: number): Class {
    let at = keyFrom;
    const field = (): Buffer | null => {
      const length = buffer.readInt32BE(at);
      at += 4;
      if (length < 0) return null;
      at += length;
      return buffer.subarray(at - length, at);
    };
    const placeKey = field()!.toString('latin1');
    const type = field()!.toString('utf8');
    const own = field()?.toString('utf8') ?? null;
    const masks = Array.from({ length: maskColumns }, () => field()!.readInt32BE(0));
    return makeClass(placeKey, type, own, masks);
  }

  function tallyRow(overridden: boolean, stepsTaken: boolean, { slow: oneByOne, after: evaluate }: Class): void {
    if (overridden ? part.ruleId === null && evaluate === null : evaluate === null) {
      tally.add(record, before, before);
      return;
    }
    if (oneByOne || overridden || stepsTaken || (withEvents.size > 0 && withEvents.has(record.id()))) {
      const { series, bytes, held, inBatch } = record;
      slow.set(record.id(), { standing: { ...before }, series, bytes, held, inBatch });
      return;
    }
    evaluate!(dates, verdict);
    after.outcome = verdict.outcome;
    after.rule = verdict.rule;
    after.clockStart = verdict.clockStart;
    after.dueOn = verdict.dueOn;
    after.action = actionOf(verdict.rule);
    tally.add(record, before, after);
  }

  async function readAll(stream: AsyncIterable<Buffer>): Promise<void> {
    let left: Buffer = Buffer.alloc(0);
    let begun = false;
    for await (const chunk of stream) {
      const buffer = left.length > 0 ? Buffer.concat([left, chunk]) : chunk;
      let at = 0;
      if (!begun) {
        if (buffer.length < headerLength) {
          left = buffer;
          continue;
        }
        at = headerLength;
        begun = true;
      }
      for (let next = read(buffer, at); next >= 0 && at < buffer.length; next = read(buffer, at)) at = next;
      left = buffer.subarray(at);
    }
  }

  const client = new pg.Client({ connectionString: part.url });
  await client.connect();
  try {
    await client.query(`begin isolation level repeatable read read only; set transaction snapshot ${pg.escapeLiteral(part.snapshot)}`);
    for (let range = await nextRange(); range !== null; range = await nextRange()) {
      await readAll(client.query(copyTo(`copy (${rowsIn(range)}) to stdout (format binary)`)));
    }
    const ids = [...slow.keys()];
    for (let i = 0; i < ids.length; i += slowAtOnce) {
      const rows = await store.clocksOf(client, ids.slice(i, i + slowAtOnce));
      const placed = rows.map((r) => ({ ...r, places: newChainOf(r.place_id).map((p) => p.id).reverse() })); // prettier-ignore
      for (const { row: r, governing } of await judge(client, placed, afterBook, part.afterDay, changed)) {
        const known = slow.get(r.id)!;
        tally.add({ ...known, id: () => r.id }, known.standing, standingOf(governing));
      }
    }
    progress(done);
    return tally.result();
  } finally {
    await client.end();
  }
}
