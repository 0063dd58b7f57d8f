import { getOrMakeSet, placeGrant, withUnitOfWork, writeSetting } from '@key-cellar/server';
import { makeDatabase } from '../../bench/database.js';
import { asOwner, freshDatabase, dropDatabase, urlOf } from './support/database.js';

describe('the database that is measured', () => {
  it('can be made: nothing that guards the application stands in its way', async () => {
    const database = await freshDatabase();
    try {
      await makeDatabase(urlOf(database), { records: 500, entries: 100 }, { withUnitOfWork, writeSetting, getOrMakeSet, placeGrant });
      const { rows } = await asOwner(database, (client) =>
        client.query<{ n: number }>(`select count(*)::int as n from record where series_id is not null`),
      );
      expect(rows[0]!.n).toBe(500);
    } finally {
      await dropDatabase(database);
    }
  });
});
