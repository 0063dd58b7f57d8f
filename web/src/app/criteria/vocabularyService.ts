import { inject, Injectable } from '@angular/core';
import { criteriaEndpoints } from '@key-cellar/contract';
import type { Vocabulary } from '@key-cellar/core/criteria';
import { catchError, shareReplay, throwError, type Observable } from 'rxjs';
import { Api } from '../kit/api';

/** What this person's criteria may speak of; fetched once, when it is first needed. */
@Injectable({ providedIn: 'root' })
export class VocabularyService {
  private readonly api = inject(Api);
  private kept: Observable<Vocabulary> | null = null;

  get(): Observable<Vocabulary> {
    this.kept ??= this.api.call(criteriaEndpoints.vocabulary).pipe(
      catchError((error: unknown) => {
        // What failed is asked again the next time.
        this.kept = null;
        return throwError(() => error);
      }),
      shareReplay({ bufferSize: 1, refCount: false }),
    );
    return this.kept;
  }

  /** Forgets it, after types or places have changed. */
  refresh(): void {
    this.kept = null;
  }
}
