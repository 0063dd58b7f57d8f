import type { mail as english } from '../en/mail.js';

/** Mail. */
export const mail: Record<keyof typeof english, string> = {
  'mail.digest': '{n, plural, one {Eine Mitteilung} other {# Mitteilungen}} von {repository}',
  'mail.foot': 'Gesendet von Key Cellar für {repository}. Antworten liest niemand.',
  'mail.footChosen':
    'Gesendet von Key Cellar für {repository}. Unter Mitteilungen wählen Sie, was per Mail kommt. Antworten liest niemand.',
  'mail.forgot': 'Ein anderes Passwort für {repository}',
  'mail.forgotBody':
    'Jemand unter {from} hat für Sie um ein anderes Passwort gebeten. Mit diesem Link wählen Sie eines; er gilt einmal, binnen {hours, plural, one {einer Stunde} other {# Stunden}}. Waren Sie es nicht, tun Sie nichts: Ihr Passwort bleibt.',
  'mail.hello': 'Guten Tag {name},',
  'mail.invited': 'Ihr Zugang zu {repository}',
  'mail.invitedBody':
    '{by} hat Sie in {repository} aufgenommen. Mit diesem Link wählen Sie Ihr Passwort. Er gilt einmal, binnen {days, plural, one {eines Tages} other {# Tagen}}.',
  'mail.open': 'In Key Cellar öffnen',
  'mail.test': 'Eine Mail von {repository}, zur Probe',
  'mail.testBody': 'Mail geht hinaus und kommt hier an.',
};
