import type { http as english } from '../en/http.js';

/** What is wrong with a request itself. */
export const http: Record<keyof typeof english, string> = {
  'http.forPeople': 'Dies ist Menschen vorbehalten, nicht Programmen.',
  'http.keepersAuditorsLookAt': 'Verwalter und Prüfer sehen das ganze Journal.',
  'http.notFound': 'Diese Adresse gibt es nicht.',
  'http.notJson': 'Der Inhalt ist kein JSON.',
  'http.notUtf8': 'Der Inhalt ist kein UTF-8.',
  'http.otherHost': 'Unter diesem Namen ist dieser Server nicht bekannt. HOSTS nennt seine Namen.',
  'http.otherSite': 'Diese Anfrage kam von einer anderen Website und wurde nicht ausgeführt.',
  'http.scopeMissing': 'Das Token ist dafür nicht gedacht: Ihm fehlt {scope}.',
  'http.theWhole': 'das Ganze',
  'http.tooDeep': 'Listen und Objekte sind mehr als {deepest} Ebenen tief verschachtelt.',
  'http.tooLarge': 'Das ist größer als {most}; mehr wird auf einmal nicht angenommen.',
  'http.tooSlow':
    'Das kam so langsam, dass abgebrochen wurde. Nichts davon ist gespeichert; senden Sie es über eine bessere Leitung noch einmal.',
  'http.uploadBroken': 'Die Verbindung brach ab, bevor die ganze Datei hier war. Nichts davon ist gespeichert; senden Sie sie noch einmal.',
  'http.versionMustNumberFrom': 'Die Fassung muss eine Zahl ab 1 sein.',
  'http.wrongInput': '{where, select, query {In der Abfrage} other {Im Inhalt}}: {field} {problem}.',
  'http.wrongToken': 'Dieses Token gilt nicht: Es ist abgelaufen, oder es war nie eines. Die Verwaltung kann ein anderes ausstellen.',
};
