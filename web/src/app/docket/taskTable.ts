import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, output, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { LetterTask, StepAnswer, StepTask } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Tooltip } from 'primeng/tooltip';
import { Mark } from '../kit/mark';
import { answersTo, saidWords } from '../kit/stepAnswers';
import { CountPipe, DayPipe, periodWords } from '../kit/words';

export interface Answered {
  readonly ids: readonly string[];
  readonly answer: StepAnswer;
}
type Task = StepTask | LetterTask;

/** What one rule asks about: its records, each with its answers, and answers for those that are marked or for all. */
@Component({
  selector: 'kc-task-table',
  imports: [Button, CountPipe, DayPipe, Mark, RouterLink, Tooltip],
  templateUrl: './taskTable.html',
  styleUrl: './taskTable.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TaskTable {
  protected readonly labels = {
    answer: (label: string, some: boolean, n: string) =>
      some ? $localize`${label}:answer:: ${n}:count:` : $localize`${label}:answer:: all ${n}:count:`,
  };
  protected readonly again = periodWords;
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  /** Of one kind and one rule. */
  readonly tasks = input.required<readonly Task[]>();
  readonly busy = input(false);
  /** Records lead to their dossier; not so for who has come by a link only. */
  readonly linked = input(true);
  /** Says for each record whom it was put to. */
  readonly showAsked = input(false);
  readonly answered = output<Answered>();

  protected readonly marked = signal<ReadonlySet<string>>(new Set());
  protected readonly first = computed(() => this.tasks()[0]!);
  protected readonly open = computed(() => this.tasks().filter((t) => this.isOpen(t)));
  protected readonly chosen = computed(() => {
    const marked = this.open().filter((t) => this.marked().has(t.id));
    return marked.length > 0 ? marked : this.open();
  });
  protected readonly answers = computed(() => answersTo(this.first().kind));

  protected isOpen(task: Task): boolean {
    return !('state' in task) || task.state === 'open';
  }

  protected closedWords(task: Task): string {
    if (!('state' in task)) return '';
    if (task.state !== 'answered') return $localize`no longer asked`;
    return $localize`${saidWords(task.answer!)}:answer:, said ${task.answeredBy!}:name:`;
  }

  protected mark(id: string): void {
    this.marked.update((marked) => {
      const next = new Set(marked);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  }

  protected give(tasks: readonly Task[], answer: StepAnswer): void {
    if (this.busy() || tasks.length === 0) return;
    this.answered.emit({ ids: tasks.map((t) => t.id), answer });
    this.marked.set(new Set());
  }

  /** Keys of the row that has the focus. */
  protected key(event: KeyboardEvent, task: Task, index: number): void {
    if (event.ctrlKey || event.metaKey || event.altKey || (event.target as HTMLElement).tagName !== 'TR') return;
    const answer = this.answers().find((a) => a.key === event.key);
    if (answer && this.isOpen(task)) this.give([task], answer.value);
    else if (event.key === 'x' || event.key === ' ') this.mark(task.id);
    else if (event.key === 'j' || event.key === 'ArrowDown') this.focus(index + 1);
    else if (event.key === 'k' || event.key === 'ArrowUp') this.focus(index - 1);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  private focus(index: number): void {
    const rows = this.host.nativeElement.querySelectorAll<HTMLElement>('tbody tr');
    rows[Math.max(0, Math.min(index, rows.length - 1))]?.focus();
  }
}
