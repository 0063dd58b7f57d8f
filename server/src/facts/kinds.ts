import { message } from '@key-cellar/words';
import { ofRepository, type Kind } from '../kernel/index.js';
import { entitySubject } from './entities.js';
import * as store from './store.js';
import { subjectOfType } from './types.js';

export const typeKind = ofRepository<store.TypeRow & { id: string }>({
  word: 'record type',
  what: message('thing.recordType'),
  subject: subjectOfType,
  async find(db, code, lock) {
    const found = await (lock ? store.lockType(db, code) : store.recordType(db, code));
    return found && { ...found, id: code };
  },
});

/**
 * A party or business object touches every record that refers to it: its name is what they are found by, and what
 * happens to it starts their clocks. So rights on it are rights on all of them; while nothing refers to it, the right
 * is enough wherever the person has it.
 */
export const entityKind: Kind<store.LockedEntity> = {
  word: 'party or business object',
  what: message('thing.that'),
  see: ['discover'],
  knownAnywhere: true,
  find: (db, ids, lock) => store.findEntities(db, ids, lock),
  id: (entity) => entity.id,
  subject: entitySubject,
  sets: (entity) => (entity.sets.length > 0 ? entity.sets : 'anywhere'),
};
