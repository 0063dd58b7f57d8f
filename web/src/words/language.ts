import { registerLocaleData } from '@angular/common';
import { loadTranslations } from '@angular/localize';
import { directionOf, isLanguage, pseudoLanguage, type Language } from '@key-cellar/words';
import { speakWith } from './say';

/** Sentences of the interface: by the fingerprint of the English one, that and its translation. */
type Catalogue = Readonly<Record<string, readonly string[]>>;

/** The language of the page as the server gave it out; `qps` in tests. */
export const pageLanguage: string = document.documentElement.lang;

/** The language whose rules for dates, numbers and plurals count. */
export const localeOf: Language = isLanguage(pageLanguage) ? pageLanguage : 'en';

const load = (catalogue: Catalogue): void =>
  loadTranslations(Object.fromEntries(Object.entries(catalogue).map(([id, [, translated]]) => [id, translated!])));

export const pageDirection = directionOf(pageLanguage);

/** Brings in what the page needs to speak its language; to be awaited before anything of the interface is loaded. */
export async function startLanguage(): Promise<void> {
  const { speaker } = await import('@key-cellar/words/speaker');
  if (localeOf === 'de') {
    const [{ de }, catalogue, rules] = await Promise.all([
      import('@key-cellar/words/de'),
      import('./de.json'),
      import('@angular/common/locales/de'),
    ]);
    registerLocaleData(rules.default);
    load(catalogue.default as Catalogue);
    return speakWith(speaker('de', de));
  }
  const { en } = await import('@key-cellar/words/en');
  if (pageLanguage !== pseudoLanguage) return speakWith(speaker('en', en));
  const { pseudoCatalogue, speakPseudo } = await import('./pseudo');
  speakPseudo();
  speakWith(speaker('en', pseudoCatalogue(en)));
}
