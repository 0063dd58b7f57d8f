import { ChangeDetectionStrategy, Component, effect, inject, model, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { identity, type Problem } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Api, toProblem } from '../kit/api';
import { DateField } from '../kit/dateField';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { Session } from './session';

/** The clock of a demo, moved forward. */
@Component({
  selector: 'kc-clock-sheet',
  imports: [Button, DateField, FormsModule, ProblemNotice, Sheet],
  template: `
    <kc-sheet [(open)]="open" heading="Move the demo clock" i18n-heading>
      <p class="sheet-note" i18n>
        Only this demo has a clock that can be moved, and only forward. The sweep runs and finds what has come due.
      </p>
      <form class="form" (ngSubmit)="move()">
        <kc-date-field
          field="clock-to"
          label="New date"
          i18n-label
          [min]="session.me()?.today"
          [value]="to()"
          (valueChange)="to.set($event)"
        />
        <kc-problem [problem]="problem()" />
        @if (done(); as said) {
          <p role="status">{{ said }}</p>
        }
        <p-button type="submit" [disabled]="busy()" label="Move the clock" i18n-label />
      </form>
    </kc-sheet>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ClockSheet {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  protected readonly session = inject(Session);
  readonly open = model.required<boolean>();
  protected readonly to = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly done = signal<string | null>(null);

  constructor() {
    effect(() => {
      if (!this.open()) return;
      untracked(() => {
        this.to.set(this.session.me()?.today ?? '');
        this.problem.set(null);
        this.done.set(null);
      });
    });
  }

  protected move(): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(identity.moveClock, { body: { to: this.to() } }).subscribe({
      next: ({ newlyDue, jobId }) => {
        this.busy.set(false);
        const due = newlyDue === 1 ? $localize`One record has come due.` : $localize`${newlyDue}:n: records have come due.`;
        this.done.set(jobId === null ? due : $localize`${due}:due: The sweep is catching up with the days until then.`);
        this.session.refresh();
        // Pages read the date when they open: open this one again.
        const url = this.router.url;
        void this.router.navigateByUrl('/messages', { skipLocationChange: true }).then(() => this.router.navigateByUrl(url));
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}
