import type { ledger as english } from '../en/ledger.js';

/** The ledger and what is found in it. */
export const ledger: Record<keyof typeof english, string> = {
  'ledger.asSealed': 'Alle {n} versiegelten Einträge sind, wie sie versiegelt wurden, unter jedem Baumkopf.',
  'ledger.asSealedAndSeen':
    'Alle {n} versiegelten Einträge sind, wie sie versiegelt wurden, unter jedem Baumkopf, und wie der Zeuge sie sah.',
  'ledger.calledBefore': '{words}, damals „{act}“',
  'ledger.columnsDisagree': 'Die Suchspalten des Eintrags sagen nicht, was sein versiegelter Text sagt.',
  'ledger.cosignedTreeHeadSize': 'Einen gegengezeichneten Baumkopf dieser Größe',
  'ledger.doesNotExtend':
    'Der Baum über {size} Einträge setzt jenen über {seen} nicht fort, den der Zeuge sah: Die Geschichte wurde umgeschrieben.',
  'ledger.entriesWaitLongerMinute':
    '{n, plural, one {Ein Eintrag wartet} other {# Einträge warten}} länger als eine Minute auf das Siegel; der erste ist {seq}.',
  'ledger.entryChanged': 'Der Eintrag wurde nach dem Versiegeln geändert.',
  'ledger.entryLiesLedgerNever': 'Eintrag {seq} steht im Journal und wurde nie versiegelt: Er kam auf anderem Weg hinein.',
  'ledger.entryMissing': 'Der Eintrag fehlt.',
  'ledger.entryTwice': 'Der Eintrag steht zweimal im Baum.',
  'ledger.headCosignature': 'Die Gegenzeichnung des Baumkopfs über {size} Einträge ist ungültig.',
  'ledger.headNotGiven': 'Die Einträge ergeben den Baumkopf über {size} Einträge nicht: Ihre Reihenfolge oder Zahl wurde geändert.',
  'ledger.headSignature': 'Die Unterschrift des Baumkopfs über {size} Einträge ist ungültig.',
  'ledger.headStamp': 'Der Zeitstempel des Baumkopfs über {size} Einträge ist ungültig.',
  'ledger.headStampedEarly': 'Der Baumkopf über {size} Einträge wurde gestempelt, bevor er nach eigener Angabe unterschrieben war.',
  'ledger.keepersAuditorsWholeRepository': 'Das ganze Journal sehen Verwalter und Prüfer des ganzen Repositoriums.',
  'ledger.keepersWholeRepositoryChange': 'Den Signaturschlüssel wechseln Verwalter des ganzen Repositoriums.',
  'ledger.keyDidNotTake': 'Der Schlüssel {id} hat nicht vom vorigen übernommen.',
  'ledger.leavesFromOnMissing': 'Im Baum fehlen Blätter ab {size}.',
  'ledger.ledgerBeingReadYou': 'Das Journal wird schon für Sie gelesen. Warten Sie, bis das beendet ist.',
  'ledger.letter.head': 'Das Journal am {on}: {n} Einträge',
  'ledger.letter.headBody':
    'Bewahren Sie diese Zeilen außerhalb des Repositoriums auf. Mit ihnen zeigt das Prüfprogramm, ob bis hierher seither etwas geändert oder abgeschnitten wurde.\n\n{note}',
  'ledger.moreFindings': '{n} weitere Befunde sind nicht gezeigt.',
  'ledger.moreLessSaidSealed': 'Die als versiegelt angegebene Größe ist nicht die des neuesten Baumkopfs.',
  'ledger.notAsSealed': '{n, plural, one {Eines ist} other {# Dinge sind}} nicht wie versiegelt. Das erste: {first}',
  'ledger.notCosignedYet': 'Der Zeuge hat die neuesten {n} Einträge noch nicht gegengezeichnet.',
  'ledger.notStampedYet': 'Der neueste Baumkopf hat noch keinen Zeitstempel.',
  'ledger.nothingSealed': 'Es ist noch nichts versiegelt. Versiegeln Sie zuerst das Journal.',
  'ledger.nothingSealedYet': 'Es ist noch nichts versiegelt.',
  'ledger.otherWitness': 'Der antwortende Zeuge ist nicht der eingestellte.',
  'ledger.putBack': 'Der Betreuer des Zeugen schrieb am {on}, dass der Baum auf {size} Einträge zurückgesetzt wurde: {why}',
  'ledger.stampedLate':
    '{n, plural, one {Ein Baumkopf wurde} other {# Baumköpfe wurden}} mehr als eine Stunde nach der Unterschrift gestempelt.',
  'ledger.thereKeyTookOver': 'Es gibt einen Schlüssel, der von keinem übernommen hat.',
  'ledger.thereTreeHeadEntries': 'Es gibt einen Baumkopf über {size} Einträge, und der Baum hat keinen dieser Größe.',
  'ledger.tileTreeDoesNot': 'Die Kachel {key} des Baums sagt nicht, was die Einträge ergeben.',
  'ledger.tileTreeMissing': 'Die Kachel {key} des Baums fehlt.',
  'ledger.treeChanged':
    'Der gespeicherte Baum ist nicht der zuletzt unterschriebene: Jemand hat ihn geändert. Es wird nichts versiegelt, bis er wiederhergestellt ist.',
  'ledger.treeEndsAfterEntries': 'Der Baum endet nach {size} von {total} Einträgen.',
  'ledger.trouble.sealing': 'Einträge lassen sich nicht versiegeln.',
  'ledger.trouble.stamp': 'Der Zeitstempeldienst ist nicht erreichbar; der neueste Kopf wird gestempelt, wenn er wieder da ist.',
  'ledger.trouble.witness': 'Der Zeuge ist nicht erreichbar; Köpfe werden versiegelt und gegengezeichnet, wenn er wieder da ist.',
  'ledger.withheld': 'An etwas, für das Sie nicht ermächtigt sind oder das Sie nicht sehen dürfen.',
  'ledger.witnessDidNotSign': 'Der Zeuge hat nicht unterschrieben, was seine Datei über {size} Einträge sagt.',
  'ledger.witnessKnowsLedgerAnother': 'Der Zeuge kennt dieses Journal mit einem anderen ersten Schlüssel.',
  'ledger.witnessKnowsOtherKey': 'Der Zeuge kennt dieses Journal mit einem anderen Schlüssel.',
  'ledger.witnessSawEntriesNewest':
    'Der Zeuge sah {size} Einträge; hier sind {total}. Die neuesten wurden abgeschnitten, oder ein älterer Stand wurde eingespielt.',
  'ledger.witnessSawOther': 'Der Zeuge sah einen anderen Baum über {size} Einträge: Die Geschichte wurde umgeschrieben.',
  'ledger.witnessSilent': 'Der Zeuge antwortet nicht: Ob er eine andere oder längere Geschichte sah, ist nicht bekannt.',
  'ledger.witnessedHeadMissing': 'Der Baumkopf über {size} Einträge, den der Zeuge sah, fehlt.',
};
