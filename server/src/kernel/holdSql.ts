// What holds do to a record, as SQL. A record is held while a hold covers it: nothing of it stands in the record itself, and a statement
// that locks a record and reads this beside the lock may read what was before; lock first, and read in the next statement.

/** Whether holds cover a record. */
export const heldSql = (record = 'r.id'): string =>
  `exists (select from hold_cover held where held.record_id = ${record} and held.released_at is null)`;

/** How many holds cover a record. */
export const holdCountSql = (record = 'r.id'): string =>
  `(select count(*)::int from hold_cover held where held.record_id = ${record} and held.released_at is null)`;

/** Whether one of the holds that cover a record freezes it. */
export const frozenByHoldSql = (record = 'r.id'): string =>
  `exists (select from hold_cover held join hold on hold.id = held.hold_id where held.record_id = ${record} and held.released_at is null and hold.freezes)`;
