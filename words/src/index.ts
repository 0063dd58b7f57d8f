export { directionOf, isLanguage, languageNames, languages, pseudoLanguage, type Language } from './languages.js';
export { isMessage, message, sentences, told, type Code, type Message, type Value } from './message.js';
