import { computed, DestroyRef, effect, inject, signal, untracked, type Signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { ledger, type LedgerEntry, type LedgerFilter, type LedgerFold, type Problem } from '@key-cellar/contract';
import { catchError, EMPTY, Subject, switchMap, tap, type Observable } from 'rxjs';
import { Api, toProblem } from './api';
import { countWords } from './words';

/** What the program did by itself in a row, counted, with what it was in words. */
type Fold = LedgerFold & { readonly count: number; readonly words: string };

/** One row of the trail: an entry, a fold, or the offer of more of an opened one. */
interface Row {
  readonly key: string;
  readonly entry?: LedgerEntry;
  readonly inside?: boolean;
  readonly fold?: Fold;
  readonly rest?: LedgerFold;
}

const areas: Readonly<Record<string, string>> = {
  record: '/records',
  place: '/plan',
  rule: '/schedule',
  hold: '/holds',
  batch: '/docket',
};

/** The page of what an entry is about; null where it has none. */
export function linkOfEntry({ subjectKind, subjectId }: LedgerEntry): string[] | null {
  const area = areas[subjectKind];
  return area && subjectId ? [area, subjectId] : null;
}

/** Entries of the audit trail as lists show them, newest first: what people did, and between it what the program did, folded. */
export interface Trail {
  readonly rows: Signal<readonly Row[]>;
  readonly problem: Signal<Problem | null>;
  readonly loading: Signal<boolean>;
  /** Whether there are earlier ones. */
  readonly more: Signal<boolean>;
  /** Fetches the newest again. */
  reload(): void;
  earlier(): void;
  isOpen(fold: Fold): boolean;
  /** Opens a fold, or closes it. */
  toggle(fold: Fold): void;
  /** Fetches more of an opened fold. */
  moreOf(fold: LedgerFold): void;
}

/** The trail of what a filter lets through, fetched anew whenever it changes; nothing while there is none. Call in an injection context. */
export function trailOf(filter: () => LedgerFilter | null, folded: () => boolean): Trail {
  const api = inject(Api);
  const ended = takeUntilDestroyed(inject(DestroyRef));
  const entries = signal<readonly LedgerEntry[]>([]);
  const folds = signal<readonly LedgerFold[]>([]);
  /** Opened folds, with what was fetched of them and whether there is more. */
  const opened = signal<ReadonlyMap<number, { readonly entries: readonly LedgerEntry[]; readonly next: number | null }>>(new Map());
  const next = signal<number | null>(null);
  const loading = signal(true);
  const problem = signal<Problem | null>(null);
  const failed = (error: unknown): Observable<never> => {
    loading.set(false);
    problem.set(toProblem(error));
    return EMPTY;
  };

  /** Where the page begins; null for the newest. Only the last one that was asked for counts. */
  const asked = new Subject<number | null>();
  asked
    .pipe(
      switchMap((before) => {
        loading.set(true);
        const query = { ...untracked(filter), before: before ?? undefined, limit: 100, folded: untracked(folded) };
        return api.call(ledger.entries, { query }).pipe(
          tap((page) => {
            entries.update((old) => (before === null ? page.entries : [...old, ...page.entries]));
            folds.update((old) => (before === null ? page.folds : [...old, ...page.folds]));
            if (before === null) opened.set(new Map());
            next.set(page.next);
            loading.set(false);
            problem.set(null);
          }),
          catchError(failed),
        );
      }),
      ended,
    )
    .subscribe();
  effect(() => {
    const narrowed = filter();
    folded();
    if (narrowed) untracked(() => asked.next(null));
  });

  const fetchInside = (fold: LedgerFold, before: number): void => {
    const query = { ...filter(), before, after: fold.oldest - 1, limit: 50 };
    api
      .call(ledger.entries, { query })
      .pipe(catchError(failed))
      .subscribe((page) => {
        opened.update((all) =>
          new Map(all).set(fold.newest, { entries: [...(all.get(fold.newest)?.entries ?? []), ...page.entries], next: page.next }),
        );
      });
  };

  return {
    rows: computed(() => {
      const rows: (Row & { readonly seq: number })[] = entries().map((entry) => ({ key: `e${entry.seq}`, seq: entry.seq, entry }));
      for (const fold of folds()) {
        const count = fold.acts.reduce((sum, a) => sum + a.count, 0);
        const words = fold.acts.map((a) => (a.count === 1 ? a.words : `${a.words} × ${countWords(a.count)}`)).join(' · ');
        rows.push({ key: `f${fold.newest}`, seq: fold.newest, fold: { ...fold, count, words: fold.more ? `${words} …` : words } });
        const inside = opened().get(fold.newest);
        for (const entry of inside?.entries ?? []) rows.push({ key: `i${entry.seq}`, seq: entry.seq, entry, inside: true });
        if (inside?.next) rows.push({ key: `r${fold.newest}`, seq: inside.next, rest: fold });
      }
      // Of a fold and its first entry, which have one number, the fold comes first.
      return rows.sort((a, b) => b.seq - a.seq || (a.fold ? -1 : 1));
    }),
    problem,
    loading,
    more: computed(() => next() !== null),
    reload: () => asked.next(null),
    earlier: () => asked.next(next()),
    isOpen: (fold) => opened().has(fold.newest),
    toggle: (fold) => {
      const all = new Map(opened());
      if (all.delete(fold.newest)) opened.set(all);
      else fetchInside(fold, fold.newest + 1);
    },
    moreOf: (fold) => fetchInside(fold, opened().get(fold.newest)!.next!),
  };
}
