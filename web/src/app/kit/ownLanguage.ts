import { DOCUMENT, inject, Injectable } from '@angular/core';
import { identity } from '@key-cellar/contract';
import { isLanguage, type Language } from '@key-cellar/words';
import { pageLanguage } from '../../words/language';
import { Api } from './api';

/** Read by the server, which gives the page out in this language. */
const cookie = 'cellar_language';

/** The language of the interface: as the browser asks until the person chooses; a choice loads the page anew. */
@Injectable({ providedIn: 'root' })
export class OwnLanguage {
  private readonly api = inject(Api);
  private readonly document = inject(DOCUMENT);

  /** What the person chose is kept for them everywhere; null: as the browser asks. */
  choose(language: Language | null): void {
    this.api.call(identity.setLanguage, { body: { language } }).subscribe(() => this.speak(language));
  }

  /** Whoever signs in finds the language that they chose, whatever this browser spoke last. */
  follow(chosen: Language | null): void {
    if (chosen !== null && isLanguage(pageLanguage) && pageLanguage !== chosen) this.speak(chosen);
  }

  private speak(language: Language | null): void {
    const lasts = language === null ? 0 : 365 * 24 * 3600;
    this.document.cookie = `${cookie}=${language ?? ''}; path=/; max-age=${lasts}; samesite=strict`;
    this.document.defaultView!.location.reload();
  }
}
