import { isLanguage, languages, pseudoLanguage, type Language, type Message } from '@key-cellar/words';
import { de } from '@key-cellar/words/de';
import { en } from '@key-cellar/words/en';
import { pseudoCatalogue } from '@key-cellar/words/pseudo';
import { speaker, type Catalogue, type Speaker } from '@key-cellar/words/speaker';

const catalogues: Readonly<Record<Language, Catalogue>> = { en, de };
const speakers = new Map<string, Speaker>();

function make(language: string): Speaker {
  if (isLanguage(language)) return speaker(language, catalogues[language]);
  return speaker('en', pseudoCatalogue(en));
}

/** Who speaks a language; what is none is spoken in English. */
export function speakerOf(language: string | null): Speaker {
  const spoken = language === pseudoLanguage || isLanguage(language) ? language : languages[0];
  let known = speakers.get(spoken);
  if (!known) speakers.set(spoken, (known = make(spoken)));
  return known;
}

/** In English: for logs, and for what is kept for programs to read. */
export const inEnglish = (message: Message): string => speakerOf('en').say(message);
