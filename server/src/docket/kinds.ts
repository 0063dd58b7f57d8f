import { message } from '@key-cellar/words';
import type { Kind } from '../kernel/index.js';
import * as batchStore from './batchStore.js';
import * as dueStore from './dueStore.js';
import * as noticeStore from './noticeStore.js';
import * as tasks from './stepsStore.js';

/** Rights on a batch are rights on everything in it. */
export const batchKind: Kind<batchStore.BatchRow> = {
  word: 'batch',
  what: message('thing.batch'),
  see: ['discover'],
  find: (db, ids, lock) => batchStore.findBatches(db, ids, lock),
  id: (batch) => batch.id,
  subject: (batch) => ({ kind: 'batch', id: batch.id, name: batch.number }),
  sets: (batch) => batch.sets ?? [],
};

/** One record of a batch with the batch, named `batch id/record id`. Rights on it are those on the record alone. */
export interface ItemOfBatch {
  readonly item: batchStore.ItemRow;
  readonly batch: batchStore.BatchRow;
}

export const itemKind: Kind<ItemOfBatch> = {
  word: 'record of a batch',
  what: message('thing.recordBatch'),
  see: ['discover'],
  async find(db, ids, lock) {
    const found: ItemOfBatch[] = [];
    for (const [batchId, recordId] of ids.map((id) => id.split('/') as [string, string])) {
      const [batch] = await batchStore.findBatches(db, [batchId], lock);
      const item = batch && (await batchStore.itemOf(db, batchId, recordId));
      if (batch && item) found.push({ batch, item });
    }
    return found;
  },
  id: ({ batch, item }) => `${batch.id}/${item.record_id}`,
  subject: ({ item }) => ({ kind: 'record', id: item.record_id, name: `${item.number} ${item.title}` }),
  sets: ({ item }) => [item.access_set_id],
  depositor: ({ item }) => item.deposited_by,
};

export interface ObjectionInBatch {
  readonly objection: noticeStore.ObjectionRow;
  readonly batch: batchStore.BatchRow;
}

/** An objection is answered by those who keep the batch that it is in. */
export const objectionKind: Kind<ObjectionInBatch> = {
  word: 'objection',
  what: message('thing.objection'),
  see: ['discover'],
  async find(db, ids, lock) {
    const found: ObjectionInBatch[] = [];
    for (const id of ids) {
      const objection = await noticeStore.objectionById(db, id);
      const [batch] = objection ? await batchStore.findBatches(db, [objection.batch_id], lock) : [];
      if (objection && batch) found.push({ objection, batch });
    }
    return found;
  },
  id: ({ objection }) => objection.id,
  subject: ({ batch }) => batchKind.subject(batch),
  sets: ({ batch }) => batchKind.sets(batch),
};

/** Records that are due and free to be taken into a batch. */
export const dueKind: Kind<dueStore.DueRow> = {
  word: 'due record',
  what: message('thing.record'),
  see: ['discover'],
  find: (db, ids) => dueStore.lockDue(db, ids),
  id: (record) => record.id,
  subject: (record) => ({ kind: 'record', id: record.id, name: `${record.number} ${record.title}` }),
  sets: (record) => [record.access_set_id],
};

/** A question or review is for those it was put to, as long as they may know of its record; and for those who keep that. */
export const taskKind: Kind<tasks.TaskRow> = {
  word: 'question',
  what: message('thing.question'),
  see: ['discover'],
  find: (db, ids, _lock, asker) => tasks.lockTasks(db, ids, asker.id),
  id: (task) => task.id,
  subject: (task) => ({ kind: 'record', id: task.record_id, name: `${task.number} ${task.title}` }),
  sets: (task) => [task.access_set_id],
  depositor: (task) => task.deposited_by,
};
