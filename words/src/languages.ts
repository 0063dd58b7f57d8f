/** The languages that Key Cellar speaks (ISO 639-1). English is the one that every other is checked against. */
export const languages = ['en', 'de'] as const;
export type Language = (typeof languages)[number];

/** Each language by its own name. */
export const languageNames: Readonly<Record<Language, string>> = { en: 'English', de: 'Deutsch' };

/**
 * What stands for a language in tests: English made longer by two fifths and written from right to left, so that what is not
 * translated, cut off or laid out for one direction shows. ISO 639-3 keeps `qaa` to `qtz` for private use.
 */
export const pseudoLanguage = 'qps';

export function isLanguage(text: string | null | undefined): text is Language {
  return (languages as readonly (string | null | undefined)[]).includes(text);
}

/** Which way a language is written. */
export function directionOf(language: string): 'ltr' | 'rtl' {
  return language === pseudoLanguage ? 'rtl' : 'ltr';
}
