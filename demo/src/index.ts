export { loadDemo } from './load.js';
export { demoPassword, people } from './people.js';
export { demoToday, makeRecords } from './records.js';
export { sampleFile, textFile } from './files/index.js';
