export { FactFields, type FactValues } from './factFields';
export { RecordsService, type ListState } from './recordsService';
export { RecordTable } from './recordTable';
export { ActOnMany } from './actOnMany';
export { Preview, type Shown } from './preview';
export { FactWordsPipe } from './factWords';
export { SetupNav } from './setupNav';
