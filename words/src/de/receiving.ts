import type { receiving as english } from '../en/receiving.js';

/** What arrives and is filed. */
export const receiving: Record<keyof typeof english, string> = {
  'receiving.arrivalHeld':
    'Eine offene Sperre umfasst Unterlagen wie diese, sie wird also nicht verworfen. Legen Sie sie ab; von da an ist sie gesperrt.',
  'receiving.documentsDateStillCome': 'Das Datum des Dokuments liegt in der Zukunft.',
  'receiving.filedAs': 'Abgelegt als {number}.',
  'receiving.name.controls': 'Steuerzeichen wurden weggelassen',
  'receiving.name.path': 'der Pfad wurde weggelassen',
  'receiving.name.shortened': 'der Name wurde gekürzt',
  'receiving.name.unnamed': 'sie hatte keinen brauchbaren Namen',
  'receiving.noBytes': 'Hochgeladen werden die Bytes einer Datei.',
  'receiving.nothingMoreFiledAs': 'Als „{title}“ wird nichts mehr abgelegt; die Art ist stillgelegt.',
  'receiving.otherBytes': 'Unter diesem Idempotency-Key kam schon eine andere Datei. Geben Sie jeder Datei einen eigenen Schlüssel.',
  'receiving.physical': 'Ein physisches Stück hat hier keinen Inhalt, der sich ersetzen ließe.',
  'receiving.recordsFiledSeriesFolder': 'Abgelegt wird in einer Serie oder Akte; {code} ist {kind}.',
  'receiving.thereNoRecordType': 'Eine Unterlagenart „{recordType}“ gibt es nicht.',
  'receiving.thereNoSuchContainer': 'Diesen Behälter gibt es nicht.',
  'receiving.youSendingMoreFiles': 'Sie senden mehr Dateien auf einmal, als warten können. Senden Sie die übrigen, wenn diese da sind.',
};
