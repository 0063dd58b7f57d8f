export { databaseAway, dynamicRows, openPool, row, rows, run, sqlState, type Db, type Row } from './connect.js';
export { migrate, MigrationRefused } from './migrate.js';
export { entryBody, inReadSnapshot, withUnitOfWork, type Act, type Gate, type UnitOfWork } from './unitOfWork.js';
