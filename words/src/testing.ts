import { en } from './en/index.js';
import type { Message } from './message.js';
import { speaker } from './speaker.js';
import { spoken, type Spoken } from './spoken.js';

const english = speaker('en', en);

/** A message in English. */
export const said = (message: Message): string => english.say(message);

/** Data with every message in it in English. */
export const inEnglish = <T>(value: T): Spoken<T> => spoken(value, said);

/** A function whose answer holds messages, with every message in English. */
export const speaking =
  <A extends unknown[], R>(work: (...given: A) => R) =>
  (...given: A): Spoken<R> =>
    inEnglish(work(...given));
