import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  type ElementRef,
  inject,
  input,
  model,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { asGroup, clausesOf, completeCriteria, parseCriteria, printCriteria, type AskedCriteria } from '@key-cellar/core/criteria';
import { Button } from 'primeng/button';
import { catchError, of, type Observable } from 'rxjs';
import { say } from '../../words/say';
import { Session } from '../identity/index';
import { toProblem } from '../kit/api';
import { CountPipe } from '../kit/words';
import { CriteriaNode } from './criteriaNode';
import { VocabularyService } from './vocabularyService';

/** Criteria as a sentence, completed as one types, or put together by hand; both always say the same. */
@Component({
  selector: 'kc-criteria-field',
  imports: [Button, CountPipe, CriteriaNode, FormsModule],
  templateUrl: './criteriaField.html',
  styleUrl: './criteriaField.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CriteriaField {
  protected readonly labels = {
    write: $localize`Write it`,
    build: $localize`Build step by step`,
  };
  private readonly area = viewChild.required<ElementRef<HTMLTextAreaElement>>('area');
  protected readonly session = inject(Session);
  readonly field = input.required<string>();
  readonly label = input.required<string>();
  /** May dates move with the calendar? */
  readonly relative = input(true);
  /** Counts what matches; without it nobody can ask how many. */
  readonly counter = input<((criteria: AskedCriteria) => Observable<number>) | null>(null);
  readonly text = model('');
  /** The criteria while they can be read, else null. */
  readonly read = output<AskedCriteria | null>();

  protected readonly vocabulary = toSignal(
    inject(VocabularyService)
      .get()
      .pipe(catchError(() => of(undefined))),
  );
  protected readonly building = signal(false);
  protected readonly focused = signal(false);
  protected readonly cursor = signal(0);
  protected readonly active = signal(-1);
  private readonly parsed = computed(() => {
    const vocabulary = this.vocabulary();
    return vocabulary ? parseCriteria(this.text(), vocabulary) : null;
  });
  protected readonly error = computed(() => {
    const parsed = this.parsed();
    if (parsed && !parsed.ok) return { ...parsed.error, sentence: say(parsed.error.sentence) };
    if (parsed?.ok && !this.relative() && clausesOf(parsed.criteria).some((c) => c.op === 'within' || c.op === 'factWithin')) {
      return {
        from: 0,
        until: this.text().length,
        sentence: $localize`Dates must be fixed here: write a day, a month or a year.`,
        suggestions: [],
      };
    }
    return null;
  });
  /** While something is still being typed at the end it is not wrong yet. */
  protected readonly told = computed(() => {
    const error = this.error();
    return error && !(this.focused() && error.until >= this.text().trimEnd().length) ? error : null;
  });
  protected readonly completion = computed(() => {
    const vocabulary = this.vocabulary();
    return vocabulary && this.focused() ? completeCriteria(this.text(), Math.min(this.cursor(), this.text().length), vocabulary, 8) : null;
  });
  protected readonly group = computed(() => {
    const parsed = this.parsed();
    return parsed?.ok ? asGroup(parsed.criteria) : null;
  });

  protected readonly understood = computed(() => {
    const parsed = this.parsed();
    return parsed?.ok && !this.error() ? parsed.criteria : null;
  });
  protected readonly counted = signal<{ count: number } | { why: string } | null>(null);

  /** What is typed before the words are known that it may use is read as soon as they are. */
  private unread = false;
  private readonly readLater = effect(() => {
    if (!this.vocabulary() || !this.unread) return;
    this.unread = false;
    untracked(() => this.tell());
  });

  protected type(text: string): void {
    this.unread = !this.vocabulary();
    this.text.set(text);
    this.active.set(-1);
    this.moved();
    this.tell();
  }

  protected moved(): void {
    this.cursor.set(this.area().nativeElement.selectionStart);
  }

  protected tell(): void {
    this.counted.set(null);
    this.read.emit(this.understood());
  }

  protected count(): void {
    const text = this.text();
    this.counter()!(this.understood()!).subscribe({
      next: (count) => this.text() === text && this.counted.set({ count }),
      error: (error: unknown) => this.counted.set({ why: toProblem(error).detail }),
    });
  }

  protected key(event: KeyboardEvent): void {
    const options = this.completion()?.options ?? [];
    if ((event.key === 'ArrowDown' || event.key === 'ArrowUp') && options.length > 0) {
      event.preventDefault();
      const step = event.key === 'ArrowDown' ? 1 : -1;
      this.active.update((i) => Math.max(-1, Math.min(options.length - 1, i + step)));
    } else if (event.key === 'Enter') {
      event.preventDefault();
      const option = options[this.active()];
      if (option !== undefined) this.take(option);
    } else if (event.key === 'Escape' && this.active() >= 0) {
      event.stopPropagation();
      this.active.set(-1);
    }
  }

  protected take(option: string): void {
    const { from, until } = this.completion()!;
    this.put(from, until, option);
  }

  protected mend(suggestion: string): void {
    const { from, until } = this.error()!;
    this.put(from, until, suggestion);
  }

  private put(from: number, until: number, words: string): void {
    const text = this.text();
    const before = text.slice(0, from);
    const gap = before !== '' && !/[\s(]$/.test(before) ? ' ' : '';
    const next = `${before}${gap}${words} ${text.slice(until).trimStart()}`;
    const at = before.length + gap.length + words.length + 1;
    const area = this.area().nativeElement;
    area.value = next;
    area.focus();
    area.setSelectionRange(at, at);
    this.type(next);
  }

  protected build(criteria: AskedCriteria): void {
    this.text.set(printCriteria(criteria, this.vocabulary()!));
    this.tell();
  }
}
