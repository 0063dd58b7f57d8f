import type { reports as english } from '../en/reports.js';

/** What needs a person today. */
export const reports: Record<keyof typeof english, string> = {
  'reports.act.acknowledge': 'Bestätigen',
  'reports.act.announce': 'Ankündigen',
  'reports.act.answer': 'Antworten',
  'reports.act.confirm': 'Bestätigen',
  'reports.act.decide': 'Entscheiden',
  'reports.act.execute': 'Ausführen',
  'reports.act.file': 'Ablegen',
  'reports.act.look': 'Ansehen',
  'reports.act.propose': 'Posten vorschlagen',
  'reports.act.remind': 'Erinnern',
  'reports.act.review': 'Prüfen',
  'reports.act.seeThem': 'Ansehen',
  'reports.act.seeWhich': 'Ansehen',
  'reports.act.verify': 'Prüfen',
  'reports.arrivedNotFiled': '{n, plural, one {Ein Stück ist eingegangen und} other {# Stücke sind eingegangen und}} nicht abgelegt',
  'reports.askForAccess': '{n, plural, one {Jemand bittet} other {# Personen bitten}} um mehr Zugang',
  'reports.batchApprovedWaitsExecuted': 'Posten {number} ist genehmigt und wartet auf die Ausführung',
  'reports.batchHasObjections': 'Posten {number} hat {n, plural, one {einen offenen Einspruch} other {# offene Einsprüche}}',
  'reports.batchProposedNotAnnounced': 'Posten {number} ist vorgeschlagen und nicht angekündigt',
  'reports.batchWaitsYourDecision': 'Posten {number}, {what}, wartet auf Ihre Entscheidung',
  'reports.damagedSetApart': '{n, plural, one {Ein Inhalt ist} other {# Inhalte sind}} beschädigt und abgesondert',
  'reports.dueAsWell': '{n, plural, one {Eine kleinere Gruppe ist} other {# kleinere Gruppen sind}} auch fällig',
  'reports.dueNotInBatch':
    '{n, plural, one {Eine Unterlage aus {series} {title} ist} other {# Unterlagen aus {series} {title} sind}} fällig und in keinem Posten',
  'reports.keptWithoutEndUntil': 'ohne Ende aufbewahrt, bis jemand entscheidet',
  'reports.neverVerified': 'noch nie geschehen',
  'reports.noRule':
    '{n, plural, one {Eine Unterlage} other {# Unterlagen}} in {series, plural, one {einer Serie} other {# Serien}} {n, plural, one {hat} other {haben}} keine Regel',
  'reports.notAcknowledged':
    '{n, plural, one {Ein Verwahrer von „{matter}“ hat} other {# Verwahrer von „{matter}“ haben}} die Mitteilung nicht bestätigt',
  'reports.objectStoreBehindContents':
    'Der Objektspeicher ist im Rückstand: Inhalte warten seit über einer Stunde auf eine Kopie oder Verriegelung',
  'reports.ofYears': '{years}{held, plural, =0 {} other { · # weitere gesperrt}}',
  'reports.records': '{n, plural, one {eine Unterlage} other {# Unterlagen}}',
  'reports.reminded': '{n, plural, =0 {noch nicht erinnert} one {einmal erinnert} other {#-mal erinnert}}',
  'reports.reviewDue': 'bis {due}',
  'reports.reviewWaits': '{n, plural, one {Eine Freigabe} other {# Freigaben}} zu bestätigen oder zu beenden',
  'reports.rulesAsk':
    'Regeln fragen Sie, ob {n, plural, one {eine Unterlage noch gebraucht wird} other {# Unterlagen noch gebraucht werden}}',
  'reports.sent': 'gesandt am {on}',
  'reports.since': 'seit {since}',
  'reports.step.decide':
    'Geben Sie einer zweiten Person das Profil Genehmiger oder Verwalter: Wer einen Posten vorschlägt, kann ihn nicht genehmigen',
  'reports.step.file': 'Legen Sie die erste Unterlage ab',
  'reports.step.people': 'Legen Sie die Personen an, die hier arbeiten; mindestens zwei müssen sich anmelden können',
  'reports.step.plan': 'Bauen Sie den Aktenplan auf, bis zu einer Serie, in der abgelegt wird',
  'reports.step.schedule': 'Veröffentlichen Sie eine Regel und setzen Sie sie auf eine Serie',
  'reports.step.types': 'Sagen Sie, welche Unterlagenarten es gibt und welche Angaben jede braucht',
  'reports.unread': 'Den Inhalt von {n, plural, one {einer Unterlage} other {# Unterlagen}} konnten Detektoren nicht lesen',
  'reports.verifiedLast': 'zuletzt am {on}',
  'reports.verifyLedger': 'Das Journal sollte geprüft werden',
  'reports.waitForHand':
    '{n, plural, one {Ein physisches Stück wartet} other {# physische Stücke warten}} darauf, von Hand {action, select, destroy {vernichtet} other {übergeben}} zu werden',
  'reports.waitForReview': '{n, plural, one {Eine Unterlage wartet} other {# Unterlagen warten}} auf Ihre Prüfung',
  'reports.whoeverRunsServerFinds': 'den Grund findet der Serverbetrieb im Protokoll',
  'reports.whyUnread': 'Die Liste nennt den Grund: Scans ohne Text, verschlüsselte oder beschädigte Dateien …',
  'reports.youCustodianHaveNot': 'Sie sind Verwahrer von „{matter}“ und haben die Mitteilung nicht bestätigt',
};
