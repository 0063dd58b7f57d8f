import { inject, Injectable } from '@angular/core';
import { completeCriteria, parseCriteria, printCriteria, type Completion } from '@key-cellar/core/criteria';
import { map, type Observable } from 'rxjs';
import { VocabularyService } from './vocabularyService';

/** Reads what is typed into the ask bar as a condition. */
export interface Asked {
  /** The condition as it was understood; null while it cannot be read. */
  condition(text: string): string | null;
  /** Up to `most` ways to go on at the end of `text`. */
  completion(text: string, most: number): Completion;
}

/** The words that conditions are made of, for the ask bar, which loads this when somebody first asks. */
@Injectable({ providedIn: 'root' })
export class Asking {
  private readonly vocabularies = inject(VocabularyService);

  ready(): Observable<Asked> {
    return this.vocabularies.get().pipe(
      map((vocabulary) => ({
        condition: (text) => {
          const parsed = parseCriteria(text, vocabulary);
          return parsed.ok ? printCriteria(parsed.criteria, vocabulary) : null;
        },
        completion: (text, most) => completeCriteria(text, text.length, vocabulary, most),
      })),
    );
  }
}
