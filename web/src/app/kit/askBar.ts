import { ChangeDetectionStrategy, Component, computed, inject, Injector, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { Router } from '@angular/router';
import { reports, type Suggestion } from '@key-cellar/contract';
import { catchError, debounceTime, filter, of, map, switchMap, take } from 'rxjs';
import { Api } from './api';

/** What can be chosen below the bar: something found, a condition as it was understood, or a way to go on with one. */
type Choice = Suggestion | { readonly kind: 'condition' | 'completion'; readonly id: string; readonly title: string };

const mostCompletions = 5;

const none: { readonly suggestions: readonly Suggestion[] } = { suggestions: [] };

const keyOf = (choice: Choice): string => choice.kind + choice.id;

/** Whether a suggestion has every word that is typed, in its code or its title. */
const hasAll = (one: Suggestion, text: string): boolean => {
  const has = `${one.code} ${one.title}`.toLowerCase();
  return text
    .toLowerCase()
    .split(/\s+/)
    .every((word) => has.includes(word));
};

const kinds: Record<Choice['kind'], string> = {
  condition: $localize`records`,
  completion: $localize`go on`,
  record: $localize`record`,
  place: $localize`place`,
  rule: $localize`rule`,
  person: $localize`person`,
  matter: $localize`matter`,
  batch: $localize`batch`,
};

/**
 * The ask bar: words find records, places, rules, batches and matters; Enter searches for all of them. Conditions are
 * completed as one types, and lead to what they match.
 */
@Component({
  selector: 'kc-ask-bar',
  templateUrl: './askBar.html',
  styleUrl: './askBar.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class AskBar {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly injector = inject(Injector);
  protected readonly text = signal('');
  protected readonly focused = signal(false);
  /** Which choice the arrows have come to, by what it is and not by where it stands: the list may change under the hand. */
  private readonly chosen = signal<string | null>(null);
  protected readonly active = computed(() => this.choices().findIndex((choice) => keyOf(choice) === this.chosen()));
  protected readonly kinds = kinds;

  private readonly answered = toSignal(
    toObservable(this.text).pipe(
      debounceTime(120),
      switchMap((text) =>
        (text.trim().length < 2 ? of(none) : this.api.call(reports.ask, { query: { text } }).pipe(catchError(() => of(none)))).pipe(
          map(({ suggestions }) => ({ text, suggestions })),
        ),
      ),
    ),
  );
  /** Loaded when somebody first asks. */
  private readonly conditions = toSignal(
    toObservable(this.focused).pipe(
      filter(Boolean),
      take(1),
      switchMap(() => import('../criteria/asking')),
      switchMap(({ Asking }) => this.injector.get(Asking).ready()),
      catchError(() => of(undefined)),
    ),
  );
  /** What was found. Until the answer to the last letter is there, what an earlier one found and still has all that is typed. */
  protected readonly found = computed(() => {
    const answered = this.answered();
    const text = this.text();
    if (!answered || text.trim().length < 2) return [];
    return answered.text === text ? answered.suggestions : answered.suggestions.filter((one) => hasAll(one, text));
  });
  /** What is typed, read as a condition; null while it cannot be, or says nothing but plain words. */
  private readonly condition = computed<string | null>(() => {
    const text = this.text().trim();
    return text.length < 2 ? null : (this.conditions()?.condition(text) ?? null);
  });
  private readonly completion = computed(() =>
    this.text().trim().length < 2 ? null : (this.conditions()?.completion(this.text(), mostCompletions) ?? null),
  );
  protected readonly choices = computed<readonly Choice[]>(() => {
    const condition = this.condition();
    const completion = this.completion();
    // A condition is begun once a first word of it stands there; before that a word is just a word.
    const begun = completion !== null && completion.from > 0;
    return [
      ...(condition === null ? [] : [{ kind: 'condition' as const, id: 'condition', title: condition }]),
      ...(begun
        ? completion.options.map((option) => ({
            kind: 'completion' as const,
            id: option,
            title: `${this.text().slice(0, completion.from)}${option}`.trim(),
          }))
        : []),
      ...this.found(),
    ];
  });
  protected readonly open = computed(() => this.focused() && this.text().trim().length > 1);

  protected type(value: string): void {
    this.text.set(value);
    this.chosen.set(null);
  }

  protected key(event: KeyboardEvent): void {
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault();
      const step = event.key === 'ArrowDown' ? 1 : -1;
      const next = this.choices()[Math.min(this.choices().length - 1, this.active() + step)];
      this.chosen.set(next ? keyOf(next) : null);
    } else if (event.key === 'Enter') {
      const chosen = this.choices()[this.active()];
      if (chosen) this.go(chosen);
      else this.search();
    } else if (event.key === 'Escape') {
      (event.target as HTMLInputElement).blur();
    }
  }

  protected go(choice: Choice): void {
    switch (choice.kind) {
      case 'completion':
        this.type(`${choice.title} `);
        return;
      case 'condition':
        this.leave();
        void this.router.navigate(['/find'], { queryParams: { where: choice.title } });
        return;
      default:
        this.leave();
        void this.router.navigateByUrl(choice.link);
    }
  }

  protected search(): void {
    const words = this.text().trim();
    this.leave();
    void this.router.navigate(['/find'], { queryParams: words ? { words } : {} });
  }

  private leave(): void {
    this.text.set('');
    (document.activeElement as HTMLElement | null)?.blur();
  }
}
