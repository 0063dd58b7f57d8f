import { DestroyRef, effect, inject, signal, untracked, type Signal } from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import type { Problem } from '@key-cellar/contract';
import { catchError, EMPTY, Subject, switchMap, tap, timer, type Observable } from 'rxjs';
import { toProblem } from './api';

/** Something fetched for a page: its value, what went wrong, and a way to fetch it again. */
export interface Loaded<T> {
  readonly value: Signal<T | undefined>;
  readonly problem: Signal<Problem | null>;
  /** Fetches again; the value on screen stays until the new one is there. */
  reload(): void;
}

/**
 * Fetches once the inputs of the component are there, again whenever a signal that `source` reads changes, and on every
 * reload; only the newest fetch counts. Call in an injection context.
 */
export function loaded<T>(source: () => Observable<T>): Loaded<T> {
  const value = signal<T | undefined>(undefined);
  const problem = signal<Problem | null>(null);
  const fetches = new Subject<Observable<T>>();
  fetches
    .pipe(
      switchMap((fetch) =>
        fetch.pipe(
          tap((fresh) => {
            value.set(fresh);
            problem.set(null);
          }),
          catchError((error: unknown) => {
            problem.set(toProblem(error));
            return EMPTY;
          }),
        ),
      ),
      takeUntilDestroyed(inject(DestroyRef)),
    )
    .subscribe();
  effect(() => {
    const fetch = source();
    untracked(() => fetches.next(fetch));
  });
  return { value, problem, reload: () => fetches.next(untracked(source)) };
}

const againMs = 1500;

/** Fetches again every second and a half for as long as what was fetched says that something is still going on. In an injection context. */
export function reloadWhile<T>(page: Loaded<T>, goesOn: (value: T) => boolean): void {
  toObservable(page.value)
    .pipe(
      switchMap((value) => (value !== undefined && goesOn(value) ? timer(againMs) : EMPTY)),
      takeUntilDestroyed(),
    )
    .subscribe(() => page.reload());
}
