// What the reading thread runs: tables, calendars, words of documents, and detectors on them. Files come from anybody and detectors are made by
// people, so it is a thread that can be ended in the middle; it sees nothing but what it is given.
import { conceptsIn, itemsOf, readingPackage, readingSkos } from './exchange/index.js';
import { answering, answerTasks } from './kernel/index.js';
import { lookingForSigns, readingWords, signsIn, signsTried, tryingSigns, wordsOfDocument } from './records/index.js';
import { holidaysIn, readingHolidays } from './schedule/index.js';
import { cellsOf, readingCells } from './tables/index.js';

answerTasks(
  answering(readingCells, cellsOf),
  answering(readingPackage, itemsOf),
  answering(readingSkos, conceptsIn),
  answering(readingHolidays, holidaysIn),
  answering(readingWords, wordsOfDocument),
  answering(lookingForSigns, signsIn),
  answering(tryingSigns, signsTried),
);
