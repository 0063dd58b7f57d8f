export { CriteriaField } from './criteriaField';
export { VocabularyService } from './vocabularyService';
