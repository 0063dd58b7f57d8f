import { Injectable, type OnDestroy } from '@angular/core';
import type { EffectPage, ScheduleCases } from '@key-cellar/contract';
import { filter, map, Observable, Subject, take } from 'rxjs';
import type { Draft, WhatIfAnswer, WhatIfQuestion } from './whatIfModel';

/** Tries drafts of rules on records in a thread of the browser; one for each page that needs it. */
@Injectable()
export class WhatIf implements OnDestroy {
  private readonly worker = new Worker(new URL('./whatIf.worker', import.meta.url), { type: 'module' });
  private readonly answers = new Subject<WhatIfAnswer>();
  private last = 0;

  constructor() {
    this.worker.onmessage = ({ data }: MessageEvent<WhatIfAnswer>) => this.answers.next(data);
    this.worker.onerror = (event) => this.answers.error(new Error(event.message));
  }

  /** Hands over the records to try drafts on. */
  take(given: ScheduleCases): void {
    this.ask({ kind: 'cases', given });
  }

  /** What a draft does to them; fails when the browser cannot work it out. */
  effect(draft: Draft): Observable<EffectPage> {
    return new Observable((out) => {
      const id = ++this.last;
      const hearing = this.answers
        .pipe(
          filter((answer) => answer.id === id),
          take(1),
          map(({ effect }) => effect),
        )
        .subscribe(out);
      this.ask({ kind: 'draft', id, draft });
      return hearing;
    });
  }

  private ask(question: WhatIfQuestion): void {
    this.worker.postMessage(question);
  }

  ngOnDestroy(): void {
    this.worker.terminate();
  }
}
