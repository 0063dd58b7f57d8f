import type { tables as english } from '../en/tables.js';

/** Tables that are brought. */
export const tables: Record<keyof typeof english, string> = {
  'tables.atMostLinesAt': 'Höchstens {most} Zeilen auf einmal; dies sind {n}.',
  'tables.cellStandsAtFar': 'Bei {cell} steht eine Zelle, weit außerhalb einer Tabelle von {columns} Spalten und {rows} Zeilen.',
  'tables.columnTwice': 'Die Spalte „{column}“ gibt es zweimal.',
  'tables.fileTakesTooLong':
    'Diese Datei zu lesen dauert zu lange. Vielleicht ist sie beschädigt, oder so gemacht; speichern Sie sie noch einmal.',
  'tables.firstLineMustName':
    'Die erste Zeile muss die Spalten nennen; {lacking} {n, plural, one {fehlt} other {fehlen}}. Sie hat: {columns}.',
  'tables.inRowAlready': '{name} steht schon in Zeile {row}',
  'tables.jsonMustListObjects': 'Das JSON muss eine Liste von Objekten sein, eines je Zeile.',
  'tables.meant': ' Gemeint vielleicht: {columns}?',
  'tables.missing': 'fehlt',
  'tables.nameColumnControlCharacters': 'Der Name der Spalte {no} enthält Steuerzeichen.',
  'tables.nestedValue': 'Zeile {row}, {column}, enthält eine Liste oder ein Objekt; eine Zelle hat einen Wert.',
  'tables.noJson': 'Das ist kein JSON.',
  'tables.noJurisdiction': 'einen Rechtsraum {name} gibt es nicht',
  'tables.noPlace': 'eine Stelle {place} gibt es nicht',
  'tables.noSpreadsheetFormXlsx': 'Das ist kein Arbeitsblatt in der Form XLSX.',
  'tables.rowColumnControlCharacters': 'Zeile {row}, Spalte {column}, enthält Steuerzeichen.',
  'tables.rowQuotationMarkNot': 'In Zeile {row} ist ein Anführungszeichen nicht geschlossen.',
  'tables.spreadsheetCannotReadSave': 'Dieses Arbeitsblatt ist nicht lesbar. Speichern Sie es noch einmal als XLSX.',
  'tables.spreadsheetMorePartsWhich': 'Dieses Arbeitsblatt hat mehr als {most} Teile, was keine solche Tabelle braucht.',
  'tables.spreadsheetUnpacksMoreMb': 'Dieses Arbeitsblatt ist ausgepackt größer als 64 MB, was keine solche Tabelle braucht.',
  'tables.surplusCell': 'In Zeile {row} steht etwas in Spalte {no}, die keinen Namen hat.',
  'tables.tooLong': 'ist länger als {most} Zeichen',
  'tables.unknownColumns': '{n, plural, one {Eine Spalte} other {Spalten}} {columns} gibt es nicht.{meant} Spalten sind {known}.',
};
