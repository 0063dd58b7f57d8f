export { columnsOf, readTable, tableFormats, writeTable, type Table, type TableFormat, type TableRow } from './tables.js';
