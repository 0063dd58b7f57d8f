import { civilDate, parseCivilDate } from '@key-cellar/core/calendar';
import { unknownDay, type FactSlot, type Outcome } from '@key-cellar/core/schedule';
import { keyColumns } from './effectRowStore.js';

/** PostgreSQL counts binary dates from here. */
const dateBase = civilDate('2000-01-01');
/** Signature, flags and extension of a binary COPY (PostgreSQL, COPY, binary format). */
const headerLength = 19;
const outcomes: readonly Outcome[] = ['dated', 'waiting', 'permanent', 'unscheduled'];
const actions = [null, 'destroy', 'transfer'] as const;

/** One row as it is read; the same object for every row, so that a million of them cost no memory. */
export interface EffectRow {
  /** The bytes of all that decides which rules are asked: equal for records that differ only in their dates. */
  key: string;
  /** Id of the rule version that governs it now, as bytes in latin1; empty when none does. */
  version: string;
  outcome: Outcome;
  action: (typeof actions)[number];
  held: boolean;
  inBatch: boolean;
  overridden: boolean;
  stepsTaken: boolean;
  conflict: boolean;
  triggerOn: number;
  clockStart: number;
  dueOn: number;
  bytes: number;
  /** The dates that rules may count from, by slot. */
  readonly dates: Int32Array;
  id(): string;
}

function uuidAt(buffer: Buffer, at: number): string {
  const hex = buffer.toString('hex', at, at + 16);
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
}

/** An id as the bytes that a row has of it. */
export const uuidKey = (id: string): string => Buffer.from(id.replaceAll('-', ''), 'hex').toString('latin1');

/** What a key says: the place (as bytes), the type, the jurisdictions of its own, and which criteria it meets. */
export interface KeyParts {
  readonly place: string;
  readonly type: string;
  readonly own: readonly string[];
  readonly masks: readonly number[];
}

export function partsOfKey(key: string, maskColumns: number): KeyParts {
  const buffer = Buffer.from(key, 'latin1');
  let at = 0;
  const field = (): Buffer | null => {
    const length = buffer.readInt32BE(at);
    at += 4;
    if (length < 0) return null;
    at += length;
    return buffer.subarray(at - length, at);
  };
  const place = field()!.toString('latin1');
  const type = field()!.toString('utf8');
  const own = field()?.toString('utf8').split('\u001f') ?? [];
  return { place, type, own, masks: Array.from({ length: maskColumns }, () => field()!.readInt32BE(0)) };
}

/** Where a row has what, and how its dates are laid out: those that the database has as dates first, then facts as text. */
export interface RowLayout {
  readonly maskColumns: number;
  readonly ownDates: number;
  readonly facts: readonly FactSlot[];
}

/** The date in a fact as JSON or text: of several the first or the last. */
function dateIn(text: string, occurrence: FactSlot['occurrence']): number {
  if (!text.startsWith('[')) return parseCivilDate(text) ?? unknownDay;
  const dates = (JSON.parse(text) as unknown[]).flatMap((one) => (typeof one === 'string' ? (parseCivilDate(one) ?? []) : []));
  return dates.length === 0 ? unknownDay : Math[occurrence === 'first' ? 'min' : 'max'](...dates);
}

/** Reads rows of binary COPY streams, however their bytes are cut, and gives each to `take`. */
export function rowReader({ maskColumns, ownDates, facts }: RowLayout, take: (row: EffectRow) => void) {
  const flagsField = keyColumns + maskColumns;
  let bytes: Buffer = Buffer.alloc(0);
  let idAt = 0;
  const row: EffectRow = {
    key: '',
    version: '',
    outcome: 'dated',
    action: null,
    held: false,
    inBatch: false,
    overridden: false,
    stepsTaken: false,
    conflict: false,
    triggerOn: unknownDay,
    clockStart: unknownDay,
    dueOn: unknownDay,
    bytes: 0,
    dates: new Int32Array(ownDates + facts.length),
    id: () => uuidAt(bytes, idAt),
  };

  function readFlags(flags: number): void {
    row.outcome = outcomes[flags & 3]!;
    row.action = actions[(flags >> 2) & 3]!;
    row.held = (flags & 16) !== 0;
    row.inBatch = (flags & 32) !== 0;
    row.overridden = (flags & 64) !== 0;
    row.stepsTaken = (flags & 128) !== 0;
    row.conflict = (flags & 256) !== 0;
  }

  function readDate(buffer: Buffer, at: number, length: number, slot: number): void {
    row.dates[slot] =
      length < 0
        ? unknownDay
        : slot < ownDates
          ? buffer.readInt32BE(at) + dateBase
          : dateIn(buffer.toString('utf8', at, at + length), facts[slot - ownDates]!.occurrence);
  }

  /** Reads one row at `start`; gives where it ends, or -1 when it is not all there yet. */
  function read(buffer: Buffer, start: number): number {
    if (start + 2 > buffer.length) return -1;
    const fields = buffer.readInt16BE(start);
    if (fields === -1) return buffer.length;
    const keyFrom = start + 2;
    let at = keyFrom;
    for (let i = 0; i < fields; i++) {
      if (at + 4 > buffer.length) return -1;
      const length = buffer.readInt32BE(at);
      at += 4;
      if (at + Math.max(0, length) > buffer.length) return -1;
      const of = i - flagsField;
      if (of === 0) {
        row.key = buffer.toString('latin1', keyFrom, at - 4);
        readFlags(buffer.readInt32BE(at));
      } else if (of === 1) idAt = at;
      else if (of === 2) row.version = length < 0 ? '' : buffer.toString('latin1', at, at + 16);
      else if (of === 3) row.clockStart = length < 0 ? unknownDay : buffer.readInt32BE(at) + dateBase;
      else if (of === 4) row.dueOn = length < 0 ? unknownDay : buffer.readInt32BE(at) + dateBase;
      else if (of === 5) row.bytes = buffer.readInt32BE(at) * 4_294_967_296 + buffer.readUInt32BE(at + 4);
      else if (of === 6) row.triggerOn = length < 0 ? unknownDay : buffer.readInt32BE(at) + dateBase;
      else if (of > 6) readDate(buffer, at, length, of - 7);
      if (length > 0) at += length;
    }
    bytes = buffer;
    take(row);
    return at;
  }

  return async (stream: AsyncIterable<Buffer>): Promise<void> => {
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
  };
}
