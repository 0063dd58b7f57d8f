/** Signing in by the word of a provider of identities. */
export const federation = {
  'federation.authorization': 'Where people sign in',
  'federation.away': '{provider} does not answer. Try again in a while, or sign in with your password.',
  'federation.cancelled': 'You did not sign in at {provider}.',
  'federation.claimMissing': 'must say which claim names the groups',
  'federation.guarded': 'must begin with https://, so that nobody reads along',
  'federation.issuerGuarded': 'The issuer must begin with https://, so that nobody reads along.',
  'federation.issuerStays': 'stays: people are linked with it. Add another provider instead',
  'federation.linkedElsewhere':
    'You are linked with somebody else at {provider}, or somebody else here is linked with whoever signed in there.',
  'federation.noCodeAsked': 'No code is awaited in this browser any more. Begin again.',
  'federation.noEndpoints': 'It does not say where people sign in, or where answers are exchanged.',
  'federation.noIss':
    'It does not say in its answers who gives them (RFC 9207). Each provider has an address of its own to come back to here, which stands in for that.',
  'federation.noPkce':
    'It does not say that it looks at proof of possession (PKCE with S256). An answer that is caught on the way might be used by others if it does not.',
  'federation.nobodyHere':
    '{provider} knows you, and nobody here is linked with it as you. Sign in with your password and link it under your name, or ask an administrator.',
  'federation.notAProvider': 'Nothing there that can be believed: {because}.',
  'federation.notBegun': 'Nothing was begun with {provider} in this browser, or it took too long. Begin again.',
  'federation.notBelieved': 'What came from {provider} does not belong to what you began here, or cannot be believed. Begin again.',
  'federation.notFresh': 'Sign out and in again first: whoever found you signed in could link themselves.',
  'federation.onlyWayIn': 'You have no password: without this you could not sign in any more.',
  'federation.taken': 'belongs to another provider already',
  'federation.token': 'Where answers are exchanged',
} as const;
