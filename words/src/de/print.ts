import type { print as english } from '../en/print.js';

/** What stands in printed documents. */
export const print: Record<keyof typeof english, string> = {
  'print.asItStood': 'Stand vom {on}: {n, plural, one {eine Serie} other {# Serien}}.',
  'print.ended': '{heading} ({how, select, retired {stillgelegt} other {geschlossen}} {on})',
  'print.foot': '{what} · Seite {no} von {of}',
  'print.notHere': 'Nicht hier: {what}',
  'print.plan': 'Aktenplan',
  'print.planOf': 'Aktenplan von {repository}',
  'print.planOn': 'Aktenplan, {on}',
  'print.rules': 'Regeln: {rules}',
};
