import type { problem as english } from '../en/problem.js';

/** Titles of problems, and what can go wrong anywhere. */
export const problem: Record<keyof typeof english, string> = {
  'problem.aKeeperCanGrant': 'Ein Verwalter kann es gewähren.',
  'problem.away':
    '{what} Es wurde nichts geändert. Versuchen Sie es in einigen Minuten noch einmal; bleibt es so, sagen Sie dem Serverbetrieb Bescheid.',
  'problem.busy': 'Der Server liest gerade viele Dateien. Versuchen Sie es gleich noch einmal.',
  'problem.changedMeanwhile':
    'Jemand hat das geändert, nachdem Sie es geöffnet haben. Sehen Sie sich den neuesten Stand an und versuchen Sie es noch einmal.',
  'problem.databaseAway':
    'Die Datenbank antwortet gerade nicht. Versuchen Sie es gleich noch einmal; wenn Sie etwas ändern wollten, sehen Sie zuerst nach, ob es geändert ist.',
  'problem.declaredByDatabase':
    'Diese Unterlage ist festgeschrieben und kann nicht geändert werden. Ein Verwalter darf die Festschreibung mit Begründung aufheben.',
  'problem.diskFull': 'Die Platte der Datenbank ist voll, es wurde nichts gespeichert. Sagen Sie dem Serverbetrieb Bescheid.',
  'problem.existsAlready': 'Etwas mit diesem Namen, Kennzeichen oder dieser Nummer gibt es schon. Wählen Sie etwas anderes.',
  'problem.existsAlreadyWith': 'Etwas mit „{met}“ gibt es schon.',
  'problem.heldByDatabase':
    'Eine Sperre umfasst diese Unterlage, also bleibt sie, wie sie ist. Die Rechtsabteilung kann die Sperre aufheben.',
  'problem.it': 'Das',
  'problem.jobCancelled': 'Abgebrochen; was getan ist, bleibt getan.',
  'problem.jobFailed': 'Diese Arbeit ist fehlgeschlagen. Was getan ist, bleibt getan; das Protokoll des Servers sagt, warum.',
  'problem.jobWaits': '{what} Es geht von selbst weiter, sobald es wieder antwortet.',
  'problem.jobWaitsForDatabase': 'Die Datenbank antwortet nicht. Es geht von selbst weiter, sobald sie antwortet.',
  'problem.jobWaitsForRoom': 'Auf der Platte der Datenbank ist kein Platz. Es geht von selbst weiter, sobald Platz ist.',
  'problem.namesWhatIsNotThere': 'Etwas darin nennt, was es nicht gibt, oder wird anderswo noch gebraucht.',
  'problem.notAllowed': 'Dafür braucht es hier das Recht „{right}“. {who}',
  'problem.notFound': '{what} gibt es hier nicht, oder der Zugang fehlt Ihnen.',
  'problem.notSignedIn': 'Melden Sie sich zuerst an.',
  'problem.notStorable': 'Eine Zahl, ein Datum oder ein Text darin lässt sich nicht speichern. Prüfen Sie die Eingabe.',
  'problem.refusedByDatabase':
    'Die Datenbank lehnt das ab: Es würde eine Regel zum Schutz der Unterlagen verletzen. Wer den Server betreibt, findet in dessen Protokoll, welche.',
  'problem.that': 'Das',
  'problem.title.400': 'Die Anfrage ist nicht lesbar',
  'problem.title.401': 'Melden Sie sich zuerst an',
  'problem.title.403': 'Nicht erlaubt',
  'problem.title.404': 'Nicht gefunden',
  'problem.title.409': 'Abgelehnt',
  'problem.title.412': 'Inzwischen geändert',
  'problem.title.413': 'Zu groß',
  'problem.title.421': 'Nicht dieser Server',
  'problem.title.422': 'Mit dem Gesendeten stimmt etwas nicht',
  'problem.title.429': 'Zu viele Versuche',
  'problem.title.500': 'Hier ist etwas schiefgegangen',
  'problem.title.503': 'Nicht bereit',
  'problem.title.507': 'Kein Platz',
  'problem.tooLargeToStore': 'Etwas darin ist zu groß zum Speichern. Kürzen Sie es.',
  'problem.unexpected': 'Hier ist etwas schiefgegangen. Es steht im Protokoll des Servers.',
};
