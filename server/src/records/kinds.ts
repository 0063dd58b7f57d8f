import { message } from '@key-cellar/words';
import { ofRepository, type Kind } from '../kernel/index.js';
import * as detectors from './detectorStore.js';
import * as numberings from './numberingStore.js';
import * as store from './store.js';

export const recordKind: Kind<store.RecordRow> = {
  word: 'record',
  what: message('thing.record'),
  see: ['discover'],
  find: (db, ids, lock) => (lock ? store.lockRecords(db, ids) : store.recordsByIds(db, ids)),
  id: (record) => record.id,
  subject: (record) => ({ kind: 'record', id: record.id, name: `${record.number} ${record.title}` }),
  sets: (record) => [record.access_set_id],
  depositor: (record) => record.deposited_by,
};

export const numberingKind = ofRepository<numberings.NumberingRow>({
  word: 'numbering',
  what: message('thing.numbering'),
  subject: (numbering) => ({ kind: 'numbering', id: numbering.id, name: numbering.title }),
  find: (db, id, lock) => (lock ? numberings.lockNumbering(db, id) : numberings.shareNumbering(db, id)),
});

export const detectorKind = ofRepository<detectors.DetectorRow>({
  word: 'detector',
  what: message('thing.detector'),
  subject: (detector) => ({ kind: 'detector', id: detector.id, name: detector.title }),
  find: (db, id) => detectors.lockDetector(db, id),
});
