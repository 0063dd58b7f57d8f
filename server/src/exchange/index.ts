export { exchangeActs, exchangeReads, planTableActs, planTableReads } from './acts.js';
export { itemsOf, readingPackage } from './packing.js';
export { conceptsIn, readingSkos } from './skosReading.js';
