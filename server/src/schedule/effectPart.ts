import { civilDate } from '@key-cellar/core/calendar';
import {
  actionOf,
  dateSlots,
  effectTally,
  standingOf,
  type CountedRecord,
  type Effect,
  type FastVerdict,
  type Outcome,
  type RuleVersion,
  type Standing,
} from '@key-cellar/core/schedule';
import { classMaker, waysOf, type Class } from './effectClasses.js';
import { partsOfKey, rowReader, uuidKey, type EffectRow } from './effectRow.js';
import { criteriaMasks, openSnapshot } from './effectRowStore.js';
import type { EffectPart, PageRange } from './effectTypes.js';
import { judge } from './evaluation.js';
import { ruleBookOf } from './ruleBook.js';
import * as clockStore from './clockStore.js';

const perProgress = 25_000;
const slowAtOnce = 1000;

/** A record that is judged by itself after the pass, with what is known of it already. */
interface Slow {
  readonly standing: Standing;
  readonly series: string;
  readonly bytes: number;
  readonly held: boolean;
  readonly inBatch: boolean;
  readonly workdays: CountedRecord['workdays'];
}

const newStanding = () => ({
  outcome: 'dated' as Outcome,
  rule: null as RuleVersion | null,
  triggerOn: 0,
  clockStart: 0,
  dueOn: 0,
  action: null as Standing['action'],
  conflict: false,
});

/** Works out the effect of a change on the records in the ranges that it is given, in one pass over them. */
export async function effectOfPart(
  part: EffectPart,
  nextRange: () => Promise<PageRange | null>,
  progress: (done: number) => void,
): Promise<Effect> {
  const afterVersions = Object.values(part.after.versions).flat();
  const versionByKey = new Map(afterVersions.map((v) => [uuidKey(v.id), v]));
  const withEvents = new Set(part.withEvents);
  const slots = dateSlots(afterVersions);
  const criteria = criteriaMasks(part);
  const maskColumns = criteria.columns.length;
  const ways = waysOf(part);
  const makeClass = classMaker(part, ways, slots, criteria);
  const tally = effectTally(civilDate(part.today));
  const slow = new Map<string, Slow>();
  const classes = new Map<string, Class>();
  const [before, after] = [newStanding(), newStanding()];
  // One object for all rows: a million of them would keep the collector busy.
  const record = { series: '', bytes: 0, held: false, inBatch: false, workdays: undefined as CountedRecord['workdays'], id: () => '' };
  const verdict: FastVerdict = { outcome: 'unscheduled', rule: null, triggerOn: 0, clockStart: 0, dueOn: 0, conflict: null };
  let lastKey: string | null = null;
  let lastClass: Class | null = null;
  let done = 0;

  /** Rows come in the order of the table, so that the class of one is mostly the class of the next. */
  function classOf(key: string): Class {
    if (key === lastKey) return lastClass!;
    let known = classes.get(key);
    if (!known) classes.set(key, (known = makeClass(partsOfKey(key, maskColumns))));
    lastKey = key;
    return (lastClass = known);
  }

  /** Records with something of their own (a date set by hand, steps taken, events) are judged one by one. */
  const isSlow = (row: EffectRow, { slow: oneByOne }: Class): boolean =>
    oneByOne || row.overridden || row.stepsTaken || (withEvents.size > 0 && withEvents.has(row.id()));

  function take(row: EffectRow): void {
    const known = classOf(row.key);
    const { series, after: evaluate } = known;
    before.outcome = row.outcome;
    before.action = row.action;
    before.rule = row.version === '' ? null : (versionByKey.get(row.version) ?? null);
    before.triggerOn = row.triggerOn;
    before.conflict = row.conflict;
    before.clockStart = row.clockStart;
    before.dueOn = row.dueOn;
    record.series = series;
    record.bytes = row.bytes;
    record.held = row.held;
    record.inBatch = row.inBatch;
    record.workdays = known.workdays;
    record.id = row.id;
    if (row.overridden ? part.ruleId === null && evaluate === null : evaluate === null) tally.add(record, before, before);
    else if (isSlow(row, known)) slow.set(row.id(), { ...record, standing: { ...before } });
    else {
      evaluate!(row.dates, verdict);
      after.outcome = verdict.outcome;
      after.rule = verdict.rule;
      after.triggerOn = verdict.triggerOn;
      after.conflict = verdict.conflict !== null;
      after.clockStart = verdict.clockStart;
      after.dueOn = verdict.dueOn;
      after.action = actionOf(verdict.rule);
      tally.add(record, before, after);
    }
    done += 1;
    if (done % perProgress === 0) progress(done);
  }

  const reader = await openSnapshot(part, slots, criteria);
  try {
    const readRows = rowReader({ maskColumns, ownDates: slots.dates.length + slots.references.length, facts: slots.facts }, take);
    for (let range = await nextRange(); range !== null; range = await nextRange()) await readRows(reader.rowsIn(range));
    const book = ruleBookOf(part.after);
    const ids = [...slow.keys()];
    for (let i = 0; i < ids.length; i += slowAtOnce) {
      const rows = await clockStore.clocksOf(reader.client, ids.slice(i, i + slowAtOnce));
      const placed = rows.map((r) => ({
        ...r,
        places: ways
          .then(r.place_id)
          .map((p) => p.id)
          .reverse(),
      }));
      for (const { row, governing } of await judge(reader.client, placed, book, part.afterDay, part.plan.changed)) {
        tally.add({ ...slow.get(row.id)!, id: () => row.id }, slow.get(row.id)!.standing, standingOf(governing));
      }
    }
    progress(done);
    return tally.result();
  } finally {
    await reader.close();
  }
}
