import { ChangeDetectionStrategy, Component, effect, inject, input, signal } from '@angular/core';
import { schedule, type EffectLine, type EffectPage, type Problem, type ScheduleChange } from '@key-cellar/contract';
import { catchError, EMPTY, tap } from 'rxjs';
import { Api, toProblem } from '../kit/api';
import { ProblemNotice } from '../kit/notice';
import { CountPipe } from '../kit/words';
import { EffectFound } from './effectFound';

/** What a change would do, worked out on the server over all records, with progress; asked anew when the change changes. */
@Component({
  selector: 'kc-effect',
  imports: [CountPipe, EffectFound, ProblemNotice],
  templateUrl: './effectView.html',
  styleUrl: './effectView.css',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class EffectView {
  private readonly api = inject(Api);
  readonly change = input.required<ScheduleChange | null>();

  protected readonly progress = signal<{ done: number; total: number } | null>(null);
  protected readonly found = signal<EffectPage | null>(null);
  protected readonly problem = signal<Problem | null>(null);

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
}
