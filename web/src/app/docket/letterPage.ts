import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { steps, type OutcomeLine, type Problem } from '@key-cellar/contract';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { ResultList } from '../kit/resultList';
import { taskGroups } from './taskGroups';
import { TaskTable, type Answered } from './taskTable';

/** Where the link of a letter leads: it answers for the person the letter went to, without signing in. */
@Component({
  selector: 'kc-letter',
  imports: [ProblemNotice, ResultList, TaskTable],
  template: `
    <main class="page">
      @if (page.value(); as p) {
        <p class="of">{{ p.repository }} · <b i18n>Key Cellar</b></p>
        <h1 i18n>Still needed?</h1>
        <p class="lede">
          @if (open() > 0) {
            <ng-container i18n
              >Asked of <b>{{ p.to }}</b>. <b>{open(), plural, =1 {One record waits} other {{{ open() }} records wait}}</b> for an answer;
              each is answered once.</ng-container
            >
          } @else if (p.tasks.length === 0) {
            <ng-container i18n>Nothing of this letter is open to {{ p.to }} any more.</ng-container>
          } @else {
            <ng-container i18n
              >Thank you. Everything asked of <b>{{ p.to }}</b> here has been answered.</ng-container
            >
          }
        </p>
        <kc-problem [problem]="problem()" />
        @if (refused().length > 0) {
          <kc-result-list [lines]="refused()" />
        }
        @for (group of groups(); track group.key) {
          <kc-task-table [tasks]="group.tasks" [busy]="busy()" [linked]="false" (answered)="answer($event)" />
        }
      } @else if (page.problem()) {
        <h1 i18n>This link leads nowhere</h1>
        <p class="lede" i18n>
          Key Cellar did not send this link, or its recipient no longer has an account. Sign in to see what is asked of you.
        </p>
        <p><a href="/questions" i18n>Sign in</a></p>
      }
    </main>
  `,
  styles: `
    main {
      max-width: 1120px;
      margin: 0 auto;
      padding: 32px 24px;
    }
    .of {
      color: var(--ink-2);
      margin-bottom: 8px;
    }
    .lede {
      margin: 4px 0 16px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LetterPage {
  private readonly api = inject(Api);
  readonly token = input.required<string>();
  protected readonly page = loaded(() => this.api.call(steps.letter, { params: { token: this.token() } }));
  protected readonly groups = computed(() => taskGroups(this.page.value()?.tasks ?? []));
  protected readonly open = computed(() => (this.page.value()?.tasks ?? []).filter((t) => t.state === 'open').length);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly refused = signal<readonly OutcomeLine[]>([]);

  protected answer({ ids, answer }: Answered): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(steps.answerLetter, { params: { token: this.token() }, body: { ids: [...ids], answer, note: '' } }).subscribe({
      next: ({ results }) => {
        this.busy.set(false);
        this.refused.set(results.filter((r) => r.outcome !== 'done'));
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}
