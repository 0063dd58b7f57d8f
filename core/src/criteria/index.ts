export { checks, passesCheck, type Check } from './checks.js';
export { evenText, type EvenText } from './evenText.js';
export {
  asGroup,
  clauseAbout,
  plainSubjects,
  subjectOf,
  subjectsOf,
  verbOf,
  verbsFor,
  withVerb,
  type PlainSubject,
  type Single,
  type Verb,
} from './clauseForm.js';
export {
  clausesOf,
  codeFields,
  dateFields,
  personFields,
  spanUnits,
  textFields,
  wordQuery,
  type AskedCriteria,
  type Clause,
  type CodeField,
  type Criteria,
  type CriteriaRecord,
  type DateField,
  type PersonField,
  type SpanUnit,
  type TextField,
  type Within,
} from './criteria.js';
export { completeCriteria, type Completion } from './complete.js';
export type { CriteriaError } from './cursor.js';
export {
  compileDetector,
  describeSign,
  detectorProblems,
  longestText,
  patternProblem,
  type Sign,
  type SignFinding,
  type SignProblem,
  type Span,
} from './detector.js';
export { matches } from './matches.js';
export { surelyMatches, type PartlyKnown } from './partly.js';
export { parseCriteria, type Parsed } from './parse.js';
export { describeCriteria, printCriteria } from './print.js';
export { resolveCriteria } from './resolve.js';
export { criteriaToSql, type Bind, type SqlType } from './toSql.js';
export { emptyVocabulary, fieldWords, fold, thingsOf, valuesOf, type Named, type NamedFact, type Vocabulary } from './vocabulary.js';
export { distinctWords, wordsOf } from './words.js';
export { nearest } from './nearest.js';
