export { document, type Sheet } from './document.js';
