import type { holds as english } from '../en/holds.js';

/** Matters and holds. */
export const holds: Record<keyof typeof english, string> = {
  'holds.acknowledged': 'Sie haben diese Mitteilung schon bestätigt.',
  'holds.because.listed': 'aufgeführt',
  'holds.because.listedLater': 'später aufgeführt',
  'holds.because.matches': 'trifft ihre Kriterien',
  'holds.counselKeepersLookAfter': 'Sperren betreuen Rechtsabteilung und Verwalter.',
  'holds.counselKeepersPlaceHolds': 'Sperren verhängen Rechtsabteilung und Verwalter.',
  'holds.counselWholeRepositoryPlaces': 'Sperren nach Kriterien verhängt die Rechtsabteilung des ganzen Repositoriums.',
  'holds.custodianPersonOneThese': 'Verwahrer sind Personen; einer davon ist keine.',
  'holds.holdDoesNotCover': 'Diese Sperre umfasst sie nicht.',
  'holds.holdNotOpen': 'Nur aus einer offenen Sperre können Unterlagen entlassen werden.',
  'holds.holdReleased': 'Diese Sperre ist aufgehoben. Verhängen Sie eine neue.',
  'holds.holdReleasedNobodyNeeds': 'Diese Sperre ist aufgehoben, niemand muss erinnert werden.',
  'holds.letOut': 'Entlassen.',
  'holds.letter.notice': 'Sperre: {hold}',
  'holds.letter.noticeBody':
    'Unterlagen von Ihnen sind für „{matter}“ gesperrt. {reason} Nichts davon darf vernichtet werden, weder hier noch anderswo, bis die Sperre aufgehoben ist. Bitte bestätigen Sie diese Mitteilung.',
  'holds.letter.reminder': 'Erinnerung. Sperre: {hold}',
  'holds.letter.reminderBody': 'Sie haben die Mitteilung dieser Sperre noch nicht bestätigt. {reason}',
  'holds.nothingToHold': 'Keine dieser Unterlagen können Sie sperren. {counsel}',
  'holds.noticeHoldYou': 'Eine Mitteilung dieser Sperre an Sie',
  'holds.onlyOpenHoldCan': 'Nur eine offene Sperre kann aufgehoben werden.',
  'holds.reasonMissing': 'Wer Unterlagen aus einer Sperre entlässt, muss es begründen.',
  'holds.releasingHoldNeedsReason': 'Wer eine Sperre aufhebt, muss es begründen.',
};
