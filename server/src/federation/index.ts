export { federationReads, providerActs } from './providers.js';
export { federationActs } from './signInActs.js';
