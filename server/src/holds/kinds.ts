import { message } from '@key-cellar/words';
import { guardedRecords, type GuardRow, type Kind } from '../kernel/index.js';
import * as store from './store.js';

/** Rights on a hold are rights on everything that it ever covered; one by criteria reaches into the whole repository. */
export const holdKind: Kind<store.LockedHold> = {
  word: 'hold',
  what: message('thing.hold'),
  see: ['hold', 'audit'],
  find: (db, ids, lock) => store.findHolds(db, ids, lock),
  id: (hold) => hold.id,
  subject: (hold) => ({ kind: 'hold', id: hold.id, name: hold.name }),
  sets: (hold) => (hold.by_criteria ? [] : hold.sets),
};

/** Matters are titles: whoever holds or audits may know of them, and what is held for one stands in its holds. */
export const matterKind: Kind<store.MatterRow> = {
  word: 'matter',
  what: message('thing.matter'),
  see: ['hold', 'audit'],
  find: (db, ids) => store.mattersByIds(db, ids),
  id: (matter) => matter.id,
  subject: (matter) => ({ kind: 'matter', id: matter.id, name: `${matter.code} ${matter.title}` }),
  sets: () => 'anywhere',
};

/** The notice of a hold, for the custodian whom it went to. */
export const noticeKind: Kind<store.NoticeRow> = {
  word: 'own notice',
  what: message('holds.noticeHoldYou'),
  see: [],
  find: (db, ids, _lock, asker) => store.noticesOf(db, ids, asker.id),
  id: (notice) => notice.id,
  subject: (notice) => ({ kind: 'hold', id: notice.id, name: notice.name }),
  sets: () => [],
  mine: () => true,
};

/** Records to be covered: the database locks them itself, in order. */
export const recordToHold: Kind<GuardRow> = {
  word: 'record',
  what: message('thing.record'),
  see: ['discover'],
  find: (db, ids) => guardedRecords(db, ids),
  id: (record) => record.id,
  subject: (record) => ({ kind: 'record', id: record.id, name: record.name }),
  sets: (record) => [record.access_set_id],
  depositor: (record) => record.deposited_by,
};
