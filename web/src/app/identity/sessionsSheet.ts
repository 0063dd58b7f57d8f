import { ChangeDetectionStrategy, Component, effect, inject, model, signal, untracked } from '@angular/core';
import { identity, type Problem, type ResponseOf } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { InstantPipe } from '../kit/words';
import { deviceOf } from './device';

/** Where a person is signed in, and the end of it. */
@Component({
  selector: 'kc-sessions-sheet',
  imports: [Button, InstantPipe, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="Where you are signed in" i18n-heading>
      <kc-problem [problem]="problem()" />
      @if (found(); as list) {
        <p class="sheet-note" i18n>
          A session ends {{ list.idleMinutes }} minutes after its last use, and {{ list.hours }} hours after it began.
        </p>
        <ul>
          @for (one of list.sessions; track one.id) {
            <li>
              <div>
                <b>{{ deviceOf(one.agent) }}</b>
                @if (one.here) {
                  <span class="here" i18n>this one</span>
                }
                <span class="quiet small" i18n
                  >from {{ one.from }} · since {{ one.since | instant }} · last used {{ one.lastSeen | instant }}</span
                >
              </div>
              @if (!one.here) {
                <p-button
                  size="small"
                  severity="secondary"
                  [outlined]="true"
                  [disabled]="busy()"
                  label="End"
                  i18n-label
                  [ariaLabel]="endName(one.agent)"
                  (onClick)="end(one.id)"
                />
              }
            </li>
          }
        </ul>
        @if (list.sessions.length > 1) {
          <p-button [disabled]="busy()" [label]="endOthersName(list.sessions.length - 1)" (onClick)="endOthers()" />
        } @else {
          <p class="quiet" i18n>You are signed in nowhere else.</p>
        }
      }
    </kc-sheet>
  `,
  styles: `
    ul {
      list-style: none;
      padding: 0;
      margin: 0 0 16px;
    }
    li {
      display: flex;
      justify-content: space-between;
      align-items: center;
      gap: 12px;
      padding: 8px 0;
      border-bottom: 1px solid var(--line);
    }
    .small {
      display: block;
    }
    .here {
      margin-inline-start: 8px;
      color: var(--brass);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SessionsSheet {
  private readonly api = inject(Api);
  readonly open = model.required<boolean>();

  protected readonly found = signal<ResponseOf<typeof identity.sessions> | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly deviceOf = deviceOf;

  constructor() {
    effect(() => {
      if (this.open()) untracked(() => this.load());
    });
  }

  protected endName(agent: string): string {
    return $localize`End the session in ${deviceOf(agent)}:device:`;
  }

  protected endOthersName(n: number): string {
    return n === 1 ? $localize`End the other session` : $localize`End all ${n}:n: other sessions`;
  }

  protected end(id: string): void {
    this.carryOut(this.api.call(identity.endSession, { params: { id } }));
  }

  protected endOthers(): void {
    this.carryOut(this.api.call(identity.endOtherSessions));
  }

  private carryOut(act: ReturnType<Api['call']>): void {
    this.busy.set(true);
    this.problem.set(null);
    act.subscribe({
      next: () => {
        this.busy.set(false);
        this.load();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }

  private load(): void {
    this.api.call(identity.sessions).subscribe({
      next: (found) => this.found.set(found),
      error: (error: unknown) => this.problem.set(toProblem(error)),
    });
  }
}
