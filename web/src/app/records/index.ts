export { FactFields, type FactValues } from './factFields';
export { RecordsService } from './recordsService';
export { RecordTable } from './recordTable';
export { ActOnMany } from './actOnMany';
