import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { schedule, type EffectLine, type EffectPage, type Problem, type ScheduleChange } from '@key-cellar/contract';
import { Button } from 'primeng/button';
import { catchError, EMPTY, tap } from 'rxjs';
import { Session } from '../identity/index';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { TwoHorizons } from '../kit/twoHorizons';
import { CountPipe, DayPipe } from '../kit/words';
import { byYear, cellsOf, forecastCsv, saveText, touched } from './effectModel';

const yearsShown = 30;

/** What a change would do, worked out on the server over all records, with progress; asked anew when the change changes. */
@Component({
  selector: 'kc-effect',
  imports: [Button, CountPipe, DayPipe, ProblemNotice, RouterLink, TwoHorizons],
  templateUrl: './effectView.html',
  styleUrl: './effectView.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class EffectView {
  private readonly api = inject(Api);
  private readonly session = inject(Session);
  readonly change = input.required<ScheduleChange | null>();

  protected readonly progress = signal<{ done: number; total: number } | null>(null);
  protected readonly found = signal<EffectPage | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  private readonly cells = computed(() => cellsOf(this.found()));
  protected readonly years = computed(() => byYear(touched(this.cells()), Number(this.session.today().slice(0, 4)), yearsShown));
  protected readonly widest = computed(() =>
    Math.max(1, ...(this.found()?.bySeries ?? []).map((s) => Math.max(s.earlier + s.none, s.later + s.first))),
  );
  protected readonly bySeries = computed(() =>
    [...(this.found()?.bySeries ?? [])]
      .map((s) => ({ ...s, all: s.earlier + s.later + s.first + s.none + s.otherwise }))
      .sort((a, b) => b.all - a.all || (a.code < b.code ? -1 : 1)),
  );
  protected readonly mostSeries = 12;

  constructor() {
    effect((onCleanup) => {
      const change = this.change();
      this.found.set(null);
      this.problem.set(null);
      this.progress.set(null);
      if (!change) return;
      this.progress.set({ done: 0, total: 0 });
      const asking = this.api
        .lines<EffectLine>(schedule.effect, { change })
        .pipe(
          tap((line) => {
            if ('effect' in line) this.found.set(line.effect);
            else if ('problem' in line) this.problem.set(line.problem);
            else this.progress.set(line);
          }),
          catchError((error: unknown) => {
            this.problem.set(toProblem(error));
            return EMPTY;
          }),
        )
        .subscribe();
      onCleanup(() => asking.unsubscribe());
    });
  }

  protected share(n: number): string {
    return `${((n / this.widest()) * 100).toFixed(1)}%`;
  }

  protected save(): void {
    saveText('forecast.csv', forecastCsv(this.cells()));
  }
}
