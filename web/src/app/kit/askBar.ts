import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { Router } from '@angular/router';
import { reports, type Suggestion } from '@key-cellar/contract';
import { catchError, debounceTime, of, switchMap } from 'rxjs';
import { Api } from './api';

const kinds: Record<Suggestion['kind'], string> = {
  record: $localize`record`,
  place: $localize`place`,
  rule: $localize`rule`,
  person: $localize`person`,
  matter: $localize`matter`,
  batch: $localize`batch`,
};

/** The ask bar: words find records, places, rules, batches and matters; Enter searches for all of them. */
@Component({
  selector: 'kc-ask-bar',
  templateUrl: './askBar.html',
  styleUrl: './askBar.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class AskBar {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly text = signal('');
  protected readonly focused = signal(false);
  protected readonly active = signal(-1);
  protected readonly kinds = kinds;

  private readonly found = toSignal(
    toObservable(this.text).pipe(
      debounceTime(120),
      switchMap((text) =>
        text.trim().length < 2
          ? of({ suggestions: [] as Suggestion[] })
          : this.api.call(reports.ask, { query: { text } }).pipe(catchError(() => of({ suggestions: [] as Suggestion[] }))),
      ),
    ),
  );
  protected readonly suggestions = computed(() => (this.text().trim().length < 2 ? [] : (this.found()?.suggestions ?? [])));
  protected readonly open = computed(() => this.focused() && this.text().trim().length > 1);

  protected type(value: string): void {
    this.text.set(value);
    this.active.set(-1);
  }

  protected key(event: KeyboardEvent): void {
    const count = this.suggestions().length;
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault();
      const step = event.key === 'ArrowDown' ? 1 : -1;
      this.active.update((i) => Math.max(-1, Math.min(count - 1, i + step)));
    } else if (event.key === 'Enter') {
      const chosen = this.suggestions()[this.active()];
      if (chosen) this.go(chosen);
      else this.search();
    } else if (event.key === 'Escape') {
      (event.target as HTMLInputElement).blur();
    }
  }

  protected go(suggestion: Suggestion): void {
    this.leave();
    void this.router.navigateByUrl(suggestion.link);
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
