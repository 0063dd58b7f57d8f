import { computed, signal } from '@angular/core';
import type { Problem } from '@key-cellar/contract';
import type { Observable } from 'rxjs';
import { toProblem } from './api';

/** What somebody sets off on a page or a sheet: whether it is under way, and what was wrong with it. */
export class Doing {
  readonly busy = signal(false);
  readonly problem = signal<Problem | null>(null);
  /** What is wrong with single fields, by where they are in what was sent: `/name`. */
  readonly wrong = computed(() => Object.fromEntries((this.problem()?.fields ?? []).map((f) => [f.pointer, f.sentence])));

  /** Begins; `then` is told what came of it when it went well. */
  run<T>(call: Observable<T>, then: (answer: T) => void): void {
    this.busy.set(true);
    this.problem.set(null);
    call.subscribe({
      next: (answer) => {
        this.busy.set(false);
        then(answer);
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}
