export { codeFields, dateFields, wordQuery, type CodeField, type Criteria, type CriteriaRecord, type DateField } from './criteria.js';
export { describeCriteria } from './describe.js';
export { matches } from './matches.js';
export { criteriaToSql, type Bind, type SqlType } from './toSql.js';
export { distinctWords, wordsOf } from './words.js';
