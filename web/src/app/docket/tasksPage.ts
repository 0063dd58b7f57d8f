import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { steps, type OutcomeLine, type Problem } from '@key-cellar/contract';
import { InputText } from 'primeng/inputtext';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { ResultList } from '../kit/resultList';
import { saidWords } from '../kit/stepAnswers';
import { CountPipe } from '../kit/words';
import { taskGroups } from './taskGroups';
import { TaskTable, type Answered } from './taskTable';

/** What rules ask a person: is it still needed, and what becomes of what is up for review? */
@Component({
  selector: 'kc-tasks',
  imports: [CountPipe, FormsModule, InputText, ProblemNotice, ResultList, RouterLink, TaskTable],
  template: `
    <div class="page">
      <div class="page-head">
        <div>
          <h1 i18n>Still needed?</h1>
          @if (page.value(); as p) {
            <p class="lede">
              @if (whose() === 'all') {
                <ng-container i18n
                  >Questions about the records you keep: <b>{{ p.tasks.length | count }}</b> open.</ng-container
                >
              } @else if (p.tasks.length === 0) {
                <ng-container i18n>No rule asks you anything.</ng-container>
              } @else {
                <ng-container i18n
                  ><b>{p.tasks.length, plural, =1 {One record has} other {{{ p.tasks.length }} records have}}</b> come to the day on which
                  {p.tasks.length, plural, =1 {its rule asks} other {their rules ask}} you.</ng-container
                >
              }
              @if (whose() === 'all') {
                &ngsp;<a routerLink="/questions" i18n>Only mine</a>
              } @else if (p.ofOthers > 0) {
                &ngsp;<a routerLink="/questions" [queryParams]="{ whose: 'all' }" i18n>{{ p.ofOthers | count }} more are put to others</a>
              }
            </p>
          }
        </div>
      </div>
      <kc-problem [problem]="problem() ?? page.problem()" />
      @if (said(); as sentence) {
        <p role="status" class="said">{{ sentence }}</p>
      }
      @if (results(); as lines) {
        <div class="panel results"><kc-result-list [lines]="lines" /></div>
      }
      @if (groups().length > 0) {
        <div class="field note">
          <label for="answer-note" i18n>Note for the ledger (optional)</label>
          <input pInputText id="answer-note" maxlength="2000" [ngModel]="note()" (ngModelChange)="note.set($event)" />
        </div>
      } @else if (page.value()) {
        <div class="empty" i18n>
          <b>Nothing is asked</b>When records come to the day on which their rule asks whether they are still needed, they are here, and in
          your messages.
        </div>
      }
      @for (group of groups(); track group.key) {
        <kc-task-table [tasks]="group.tasks" [busy]="busy()" [showAsked]="whose() === 'all'" (answered)="answer($event)" />
      }
      @if (page.value()?.more) {
        <p class="quiet" i18n>There are more; they appear once these are answered.</p>
      }
    </div>
  `,
  styles: `
    .note {
      max-width: 560px;
      margin-bottom: 12px;
    }
    .results {
      padding: 8px 12px;
      margin-bottom: 12px;
    }
    .said {
      margin-bottom: 8px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TasksPage {
  private readonly api = inject(Api);
  private readonly session = inject(Session);
  readonly whose = input<'mine' | 'all', string | undefined>('mine', { transform: (text) => (text === 'all' ? 'all' : 'mine') });
  protected readonly page = loaded(() => this.api.call(steps.tasks, { query: { whose: this.whose() } }));
  protected readonly groups = computed(() => taskGroups(this.page.value()?.tasks ?? []));
  protected readonly note = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly results = signal<readonly OutcomeLine[] | null>(null);
  protected readonly said = signal('');

  protected answer({ ids, answer }: Answered): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(steps.answer, { body: { ids: [...ids], answer, note: this.note() } }).subscribe({
      next: ({ results }) => {
        this.busy.set(false);
        this.note.set('');
        const done = results.filter((r) => r.outcome === 'done');
        this.said.set(
          done.length === 1
            ? $localize`${done[0]!.name}:name:: ${saidWords(answer)}:answer:. ${done[0]!.why}:why:`
            : done.length === 0
              ? ''
              : $localize`${done.length}:n: records: ${saidWords(answer)}:answer:. ${done[0]!.why}:why:`,
        );
        this.results.set(done.length === results.length ? null : results);
        this.page.reload();
        this.session.refresh();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}
