export { cellsOf, decodedText, readingCells } from './cells.js';
export type { TableFormat } from './problems.js';
export { columnsOf, readTable, streamTable, writeTable, type TableRow } from './tables.js';
export { takenOrTold } from './taken.js';
