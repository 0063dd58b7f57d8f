/** Tables that are brought. */
export const tables = {
  'tables.atMostLinesAt': 'At most {most} lines at once; these are {n}.',
  'tables.cellStandsAtFar': 'There is a cell at {cell}, far outside a table of {columns} columns and {rows} lines.',
  'tables.fileTakesTooLong': 'This file takes too long to read. It may be damaged, or made to be so; save it again.',
  'tables.firstLineMustName':
    'The first line must name the columns; {lacking} {n, plural, one {is} other {are}} missing. It has: {columns}.',
  'tables.inRowAlready': '{name} is already in row {row}',
  'tables.jsonMustListObjects': 'The JSON must be a list of objects, one a line.',
  'tables.missing': 'is missing',
  'tables.nameColumnControlCharacters': 'The name of column {no} has control characters.',
  'tables.noJson': 'This is not JSON.',
  'tables.noJurisdiction': 'there is no jurisdiction {name}',
  'tables.noPlace': 'there is no place {place}',
  'tables.noSpreadsheetFormXlsx': 'This is not a spreadsheet in the form XLSX.',
  'tables.rowColumnControlCharacters': 'Row {row}, column {column}, has control characters.',
  'tables.rowQuotationMarkNot': 'In row {row} a quotation mark is not closed.',
  'tables.spreadsheetCannotReadSave': 'This spreadsheet cannot be read. Save it again as XLSX.',
  'tables.spreadsheetMorePartsWhich': 'This spreadsheet has more than {most} parts, which no table of this kind needs.',
  'tables.spreadsheetUnpacksMoreMb': 'This spreadsheet unpacks to more than 64 MB, which no table of this kind needs.',
  'tables.tooLong': 'is longer than {most} letters',
} as const;
