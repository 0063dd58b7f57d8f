export { columnsOf, readTable, writeTable, type TableFormat, type TableRow } from './tables.js';
