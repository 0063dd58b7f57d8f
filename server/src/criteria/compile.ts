import { criteriaToSql, type Criteria } from '@key-cellar/core/criteria';

/** Criteria as SQL with ordinary parameters, for a query of this moment. */
export function boundCriteria(criteria: Criteria, bind: (value: unknown) => string): string {
  return criteriaToSql(criteria, (value, type) => `${bind(value)}::${type}`);
}

/** Criteria as SQL that can be stored with a hold: parameters live in a JSON array that the trigger passes as $2. */
export function storedCriteria(criteria: Criteria): { sql: string; params: string[] } {
  const params: string[] = [];
  const sql = criteriaToSql(criteria, (value, type) => `($2->>${params.push(value) - 1})::${type}`);
  return { sql, params };
}
