import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { steps, type Problem, type StepAnswer } from '@key-cellar/contract';
import type { StepOutcome } from '@key-cellar/core/schedule';
import { Button } from 'primeng/button';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { answersTo, saidWords } from '../kit/stepAnswers';
import { DayPipe } from '../kit/words';

/** What a rule asks about one record now, and what has come of its steps so far. */
@Component({
  selector: 'kc-record-steps',
  imports: [Button, DayPipe, ProblemNotice],
  template: `
    <kc-problem [problem]="problem() ?? page.problem()" />
    @if (page.value(); as p) {
      @if (p.task; as task) {
        <div class="open">
          <p>
            @if (task.kind === 'review') {
              <b i18n>Waits for a keeper’s review</b>
            } @else {
              <b i18n>Asked whether it is still needed</b>
            }
            <span class="more quiet">
              <ng-container i18n>since {{ task.askedOn | day }}, by rule {{ task.ruleCode }}</ng-container>
              @if (task.asked.length > 0) {
                · {{ task.asked.join(', ') }}
              }
            </span>
          </p>
          @if (p.mayAnswer) {
            <div class="acts">
              @for (choice of answersTo(task.kind); track choice.value) {
                <p-button
                  size="small"
                  severity="secondary"
                  [outlined]="true"
                  [disabled]="busy()"
                  [label]="choice.label"
                  (onClick)="answer(task.id, choice.value)"
                />
              }
            </div>
          }
        </div>
      }
      @if (p.taken.length > 0) {
        <ol>
          @for (act of p.taken; track $index) {
            <li>
              <span class="nowrap">{{ act.on | day }}</span>
              <span>
                {{ act.words }}{{ came(act.outcome) }}
                @if (act.by) {
                  <span class="quiet">{{ act.by }}</span>
                }
              </span>
            </li>
          }
        </ol>
      }
    }
  `,
  styles: `
    .open {
      border-inline-start: 3px solid var(--brass);
      padding: 4px 0 4px 10px;
      margin-bottom: 10px;
    }
    .acts {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      margin-top: 6px;
    }
    .more {
      display: block;
      font-size: 12.5px;
      line-height: 17px;
    }
    ol {
      border-bottom: 1px solid var(--line);
      padding-bottom: 6px;
      margin-bottom: 8px;
    }
    li {
      display: grid;
      grid-template-columns: 92px 1fr;
      padding: 2px 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RecordSteps {
  private readonly api = inject(Api);
  private readonly session = inject(Session);
  readonly recordId = input.required<string>();
  /** Fetched again when the record has changed. */
  readonly revision = input.required<number>();
  readonly answered = output();
  protected readonly answersTo = answersTo;
  protected readonly page = loaded(() => {
    this.revision();
    return this.api.call(steps.ofRecord, { params: { id: this.recordId() } });
  });
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);

  protected came(outcome: StepOutcome): string {
    switch (outcome) {
      case 'done':
        return '';
      case 'unanswered':
        return `: ${$localize`no answer came`}`;
      default:
        return `: ${saidWords(outcome)}`;
    }
  }

  protected answer(id: string, answer: StepAnswer): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(steps.answer, { body: { ids: [id], answer, note: '' } }).subscribe({
      next: () => {
        this.busy.set(false);
        this.page.reload();
        this.session.refresh();
        this.answered.emit();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}
