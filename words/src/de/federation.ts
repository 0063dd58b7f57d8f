import type { federation as english } from '../en/federation.js';

/** Anmelden auf das Wort eines Identitätsanbieters. */
export const federation: Record<keyof typeof english, string> = {
  'federation.authorization': 'Wo man sich anmeldet',
  'federation.away': '{provider} antwortet nicht. Versuchen Sie es später noch einmal, oder melden Sie sich mit Ihrem Passwort an.',
  'federation.cancelled': 'Sie haben sich bei {provider} nicht angemeldet.',
  'federation.claimMissing': 'muss sagen, welche Angabe die Gruppen nennt',
  'federation.guarded': 'muss mit https:// beginnen, damit niemand mitliest',
  'federation.issuerGuarded': 'Der Aussteller muss mit https:// beginnen, damit niemand mitliest.',
  'federation.issuerStays': 'bleibt: Personen sind damit verknüpft. Fügen Sie stattdessen einen weiteren Anbieter hinzu',
  'federation.linkedElsewhere':
    'Sie sind bei {provider} mit jemand anderem verknüpft, oder jemand anderes hier ist mit der Person verknüpft, die sich dort angemeldet hat.',
  'federation.noCodeAsked': 'In diesem Browser wird kein Code mehr erwartet. Beginnen Sie noch einmal.',
  'federation.noEndpoints': 'Er sagt nicht, wo man sich anmeldet oder wo Antworten eingelöst werden.',
  'federation.noIss':
    'Er sagt in seinen Antworten nicht, wer sie gibt (RFC 9207). Dafür hat hier jeder Anbieter eine eigene Rückkehradresse.',
  'federation.noPkce':
    'Er sagt nicht, dass er den Besitznachweis prüft (PKCE mit S256). Tut er es nicht, könnten andere eine abgefangene Antwort verwenden.',
  'federation.nobodyHere':
    '{provider} kennt Sie, aber hier ist niemand als Sie damit verknüpft. Melden Sie sich mit Ihrem Passwort an und verknüpfen Sie es unter Ihrem Namen, oder fragen Sie jemanden aus der Verwaltung.',
  'federation.notAProvider': 'Dort ist nichts, dem man glauben könnte: {because}.',
  'federation.notBegun': 'In diesem Browser wurde mit {provider} nichts begonnen, oder es hat zu lange gedauert. Beginnen Sie noch einmal.',
  'federation.notBelieved':
    'Was von {provider} kam, gehört nicht zu dem, was Sie hier begonnen haben, oder ist nicht glaubwürdig. Beginnen Sie noch einmal.',
  'federation.notFresh': 'Melden Sie sich zuerst ab und wieder an: Wer Sie angemeldet vorfindet, könnte sonst sich selbst verknüpfen.',
  'federation.onlyWayIn': 'Sie haben kein Passwort: ohne dies könnten Sie sich nicht mehr anmelden.',
  'federation.taken': 'gehört schon zu einem anderen Anbieter',
  'federation.token': 'Wo Antworten eingelöst werden',
};
