import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { schedule, type Problem, type ResponseOf } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { loaded } from '../kit/loaded';
import { ProblemNotice } from '../kit/notice';
import { Sheet } from '../kit/sheet';
import { CountPipe, countWords } from '../kit/words';
import { LongTextField } from '../kit/longTextField';
import { ScheduleNav } from './scheduleNav';

type Outcome = ResponseOf<typeof schedule.importEvents>;

/** Who waits for what; and events recorded for many at once, from a table. */
@Component({
  selector: 'kc-waiting',
  imports: [LongTextField, Button, CountPipe, FormsModule, ProblemNotice, RouterLink, ScheduleNav, Sheet],
  templateUrl: './waitingPage.html',
  styleUrl: './waitingPage.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class WaitingPage {
  protected readonly labels = {
    recordSome: (n: number) => $localize`Record events: ${countWords(n)}:count:`,
    record: $localize`Record them`,
  };
  private readonly api = inject(Api);
  protected readonly session = inject(Session);
  protected readonly page = loaded(() => this.api.call(schedule.waiting));
  protected readonly total = computed(() => (this.page.value()?.waiting ?? []).reduce((n, w) => n + w.records, 0));
  protected readonly open = signal(false);
  protected readonly csv = signal('');
  protected readonly outcome = signal<Outcome | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly done = signal('');
  protected readonly most = 12;

  protected begin(): void {
    this.outcome.set(null);
    this.problem.set(null);
    this.open.set(true);
  }

  protected take(field: HTMLInputElement): void {
    const file = field.files?.[0];
    field.value = '';
    if (!file) return;
    void file.text().then((text) => this.change(text));
  }

  protected change(text: string): void {
    this.csv.set(text);
    this.outcome.set(null);
  }

  protected load(dryRun: boolean): void {
    this.busy.set(true);
    this.problem.set(null);
    this.api.call(schedule.importEvents, { body: { csv: this.csv(), dryRun } }).subscribe({
      next: (outcome) => {
        this.busy.set(false);
        this.outcome.set(outcome);
        if (dryRun || outcome.errors.length > 0) return;
        this.open.set(false);
        this.csv.set('');
        this.done.set($localize`${outcome.events}:n: events were recorded, ${outcome.recomputed}:m: records recalculated.`);
        this.page.reload();
      },
      error: (error: unknown) => {
        this.busy.set(false);
        this.problem.set(toProblem(error));
      },
    });
  }
}
